import { curveAt, type Curve } from '@pannet/core/moves/curve';
import type { Points } from '@pannet/core/moves/points';
import { withWritten, type Held } from '@pannet/core/moves/written';
import { clock } from '@pannet/core/quantities/wording';
import type { MoveTarget } from '@pannet/core/song/moves-of';
import { useEffect, useRef, useState } from 'react';
import Form from 'react-bootstrap/Form';
import { say } from '../controls/notices.ts';
import { useOpenSong, usePlayback, useRate } from '../session/open-song.ts';
import { axisOf, moveAxes } from './move-axis.ts';
import { useMoves } from './use-moves.ts';

interface Props {
  readonly name: string;
  readonly target: MoveTarget;
  /** What is set, where that is part of what is drawn. */
  readonly base: number;
  readonly curve: Points;
}

/** What is heard goes along at most so often. */
const heardEveryMs = 60;

interface Writing {
  readonly before: Points;
  readonly held: Held[];
  /** Of the axis, from 0 to 1. */
  place: number;
  heardAt: number;
  readonly stop: () => void;
}

/** Held while it plays, it writes where it stands; let go of, that is one step, as few points as say it. */
export function WriteFader({ name, target, base, curve }: Props) {
  const { playback } = useOpenSong();
  const moves = useMoves();
  const rateHz = useRate();
  const playing = usePlayback(({ state }) => state === 'playing');
  const writing = useRef<Writing | null>(null);
  const [shown, setShown] = useState<number | null>(null);
  const { parameter } = target;
  const { word, text } = moveAxes[parameter];
  const axis = axisOf(parameter, base);
  const written = ({ before, held }: Writing): Curve => withWritten(before, held, parameter);

  const begin = (place: number) => {
    if (writing.current) return;
    if (playback.store.getState().state !== 'playing') {
      say('It is written while it plays: press play, then hold it.');
      return;
    }
    const held: Held[] = [];
    const stop = playback.onSeen(({ state, frame }) => {
      const now = writing.current;
      if (!now) return;
      const atS = frame / rateHz;
      const last = held.at(-1);
      // Round the loop or stopped: what was held is kept as far as it went.
      if (state !== 'playing' || (last && atS < last.atS)) {
        end();
        return;
      }
      if (last && atS === last.atS) return;
      held.push({ atS, by: axis.addedBy(axis.at(now.place)) });
      const heard = performance.now();
      if (heard - now.heardAt < heardEveryMs) return;
      now.heardAt = heard;
      moves.preview(target, written(now));
    });
    writing.current = { before: curve, held, place, heardAt: 0, stop };
  };
  const end = () => {
    const now = writing.current;
    writing.current = null;
    setShown(null);
    if (!now) return;
    now.stop();
    const [first, last] = [now.held.at(0), now.held.at(-1)];
    if (!first || !last) {
      moves.cancel();
      return;
    }
    const when = `${clock(first.atS, 1)}–${clock(last.atS, 1)}`;
    moves.keep(`${name}, ${word}: written ${when}`, target, written(now));
  };
  // What is still held where the lane goes away is kept.
  const ends = useRef(end);
  useEffect(() => {
    ends.current = end;
  });
  useEffect(() => () => ends.current(), []);

  const here = () =>
    axis.place(
      axis.shown(curveAt(curve, playback.store.getState().frame / rateHz, null, parameter)),
    );
  const place = shown ?? here();
  return (
    <Form.Range
      className="write-fader"
      aria-label={`Write the ${word} of ${name} while it plays`}
      aria-valuetext={text(axis.at(place))}
      title="Hold it while it plays: what you do is written"
      min={0}
      max={1}
      step={0.005}
      value={place}
      onPointerDown={() => begin(place)}
      onChange={(event) => {
        const to = Number(event.target.value);
        if (!writing.current) begin(to);
        if (writing.current) writing.current.place = to;
        setShown(playing ? to : null);
      }}
      onPointerUp={end}
      onPointerCancel={end}
      onKeyUp={end}
      onBlur={end}
    />
  );
}
