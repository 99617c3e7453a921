import { barsAt, secondsAtBar, usualTempo } from '@pannet/core/moves/tempo';
import {
  isOpenThrough,
  snapped,
  thrownAs,
  withThrow,
  type ThrowKind,
} from '@pannet/core/moves/throws';
import { throwFadeParameter } from '@pannet/core/parameters/tables';
import { clock } from '@pannet/core/quantities/wording';
import { moveOf, partTarget } from '@pannet/core/song/moves-of';
import { movingWords } from '@pannet/core/song/settings';
import type { Part } from '@pannet/core/song/song';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import OverlayTrigger from 'react-bootstrap/OverlayTrigger';
import Popover from 'react-bootstrap/Popover';
import { say } from '../controls/notices.ts';
import { NumberField } from '../controls/NumberField.tsx';
import { useOpenSong, usePlayback, useRate } from '../session/use-open-song.ts';
import { useMoves } from './use-moves.ts';

/** Parts of a bar that a throw snaps to; null for none. */
const grids = [
  { name: 'as it is', parts: null },
  { name: 'eighths', parts: 8 },
  { name: 'sixteenths', parts: 16 },
] as const;

const kinds = [
  { kind: 'open', word: 'flanks open', hint: 'its flanks are heard in the loop, and not outside' },
  { kind: 'closed', word: 'flanks closed', hint: 'its flanks are not heard in the loop' },
  {
    kind: 'image',
    word: 'image in place of plain',
    hint: 'the image in the loop, plain outside; one goes over to the other at equal power',
  },
  { kind: 'swapped', word: 'sides change places', hint: 'L and R the other way round in the loop' },
  { kind: 'muted', word: 'muted', hint: 'nothing of it in the loop' },
] as const satisfies readonly { kind: ThrowKind; word: string; hint: string }[];

/** What becomes of a part in the loop alone. */
export function ThrowMenu({ part }: { readonly part: Part }) {
  const open = useOpenSong();
  const moves = useMoves();
  const rateHz = useRate();
  const loop = usePlayback((state) => state.loop);
  const [parts, setParts] = useState<number | null>(null);
  const [fadeMs, setFadeMs] = useState<number>(throwFadeParameter.default);
  const at = (frame: number) => {
    const seconds = frame / rateHz;
    if (parts === null) return seconds;
    const tempo = open.session.store.getState().song.tempo ?? usualTempo;
    return snapped(
      seconds,
      parts,
      (time) => barsAt(tempo, time),
      (bars) => secondsAtBar(tempo, bars),
    );
  };
  const put = (kind: ThrowKind, word: string) => {
    if (!loop) {
      say('Drag across a row or the wave for a loop first: it happens in there.');
      return;
    }
    const [fromS, toS] = [at(loop.start), at(loop.end)];
    if (toS <= fromS) {
      say('The loop is too short for that grid.');
      return;
    }
    const thrown = thrownAs(kind, part.image.stage.widthPercent);
    if (thrown.inside === thrown.outside) {
      say('It has no width: its sides are alike.');
      return;
    }
    const target = partTarget(part.id, thrown.parameter);
    const known = moveOf(open.session.store.getState().song, target)?.curve ?? null;
    if (known?.kind === 'cycle') {
      const what = movingWords[thrown.parameter];
      say(`Its ${what} goes in a cycle, which a stretch would end: let that stand still first.`);
      return;
    }
    const stretch = { fromS, toS, fadeS: fadeMs / 1000 };
    if (isOpenThrough(known, stretch, thrown)) {
      say(`It is so all through the loop already: ${word}.`);
      return;
    }
    const step = `${part.name}: ${word} ${clock(fromS, 2)}–${clock(toS, 2)}`;
    moves.keep(step, target, withThrow(known, stretch, thrown));
  };
  return (
    <OverlayTrigger
      trigger="click"
      rootClose
      placement="top"
      overlay={
        <Popover className="throw-menu">
          <Popover.Header as="h3" className="h6 m-0">
            {part.name}, in the loop
          </Popover.Header>
          <Popover.Body>
            <div className="throw-how">
              <span className="quiet small">edges</span>
              <span className="listening" role="group" aria-label="Edges of the loop">
                {grids.map((grid) => (
                  <button
                    key={grid.name}
                    type="button"
                    aria-pressed={parts === grid.parts}
                    onClick={() => setParts(grid.parts)}
                  >
                    {grid.name}
                  </button>
                ))}
              </span>
              <span className="quiet small">fades</span>
              <NumberField
                parameter={throwFadeParameter}
                value={fadeMs}
                width={82}
                onCommit={setFadeMs}
              />
            </div>
            <div className="throw-kinds">
              {kinds.map(({ kind, word, hint }) => (
                <Button
                  key={kind}
                  size="sm"
                  variant="outline-primary"
                  title={hint}
                  onClick={() => put(kind, word)}
                >
                  {word}
                </Button>
              ))}
            </div>
          </Popover.Body>
        </Popover>
      }
    >
      <Button
        size="sm"
        variant="outline-primary"
        title="What becomes of it in the loop alone: flanks open, image in place of plain, sides change places …"
      >
        In the loop …
      </Button>
    </OverlayTrigger>
  );
}
