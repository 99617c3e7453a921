import { apply, type Command } from './commands.ts';
import type { Edit } from './edits/edit.ts';
import { partTarget } from './moves-of.ts';
import type { Move, Song } from './song.ts';

/** A step of edits that may have any shape. */
export const command = (edits: readonly unknown[], name = 'step'): Command => ({
  id: 'c',
  name,
  role: 'do',
  edits: edits as Edit[],
});

/** The song after these edits, which must be taken. */
export function done(song: Song, ...edits: readonly unknown[]): Song {
  const outcome = apply(song, command(edits));
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value.song;
}

/** The level of the part `p<number>` along so many points. */
export function levelMove(number: number, pointCount: number): Move {
  return {
    id: `m${number}`,
    target: partTarget(`p${number}`, 'levelDb'),
    curve: {
      kind: 'points',
      points: Array.from({ length: pointCount }, (_, n) => ({
        atS: n / 3,
        by: -1.25,
        shape: 'straight',
      })),
    },
  };
}
