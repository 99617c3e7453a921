import { moveOf } from '@pannet/core/song/moves-of';
import { movingWords } from '@pannet/core/song/settings';
import type { MoveTarget } from '@pannet/core/song/moves-of';
import type { Part } from '@pannet/core/song/song';
import { useSong } from '../session/use-open-song.ts';
import { movedName, targetsOfPart } from './moves-of-part.ts';
import { useMoves } from './use-moves.ts';

/** What of a part may move along the song, and is begun by choosing it: a line under its row, to be drawn. */
export function MoveMenu({ part }: { readonly part: Part }) {
  const song = useSong();
  const moves = useMoves();
  const all = targetsOfPart(part);
  const choose = (key: string) => {
    const target = all.flatMap(({ targets }) => targets).find((one) => keyOf(one) === key);
    if (!target) return;
    moves.begin(`${movedName(part, target)}: ${wordOf(target)} along the song`, target);
  };
  return (
    <select
      className="plain-select"
      aria-label={`Move ${part.name} along the song`}
      title="By points or a cycle, drawn under it"
      value=""
      onChange={(event) => choose(event.target.value)}
    >
      <option value="" disabled hidden>
        Move …
      </option>
      {all.map(({ name, targets }, n) => (
        <optgroup key={n} label={name === '' ? part.name : `voice: ${name}`}>
          {targets.map((target) => (
            <option
              key={keyOf(target)}
              value={keyOf(target)}
              disabled={moveOf(song, target) !== null}
            >
              its {wordOf(target)}
            </option>
          ))}
        </optgroup>
      ))}
    </select>
  );
}

const keyOf = ({ of, parameter }: MoveTarget) => (of === null ? parameter : `${of}/${parameter}`);
const wordOf = ({ parameter }: MoveTarget) => movingWords[parameter];
