import { signedFigure } from '@pannet/core/quantities/wording';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part, Recording } from '@pannet/core/song/song';
import { nudged } from '../takes/nudge.ts';
import { piecesOf } from '../waves/pieces.ts';

/** All takes of a part moved by so many frames, as edits; none where nothing of a take would be left. */
export function shiftEdits(
  part: Part,
  recordings: Readonly<Record<string, Recording>>,
  by: number,
): readonly Edit[] {
  const moved = part.takes.map((take) => nudged(take, recordings[take.recording].frames, by));
  if (moved.includes(null)) return [];
  return part.takes.map((take, n) => ({
    kind: 'set-take',
    partId: part.id,
    takeId: take.id,
    changes: moved[n] ?? {},
  }));
}

/** Where the first of a part's takes begins and the last one ends, in frames. */
export function extentOf(
  part: Part,
  recordings: Readonly<Record<string, Recording>>,
  rateHz: number,
): { readonly from: number; readonly to: number } {
  let from = Infinity;
  let to = 0;
  for (const take of part.takes)
    for (const { at, count } of piecesOf(take, recordings[take.recording].frames, rateHz)) {
      from = Math.min(from, at);
      to = Math.max(to, at + count);
    }
  return { from: Math.min(from, to), to };
}

/** What a shift is called under undo. */
export function shiftName(part: Part, by: number, rateHz: number): string {
  return `${part.name}: moved ${signedFigure((by / rateHz) * 1000, 2)} ms`;
}
