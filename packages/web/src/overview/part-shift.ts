import { signedFigure } from '@pannet/core/quantities/wording';
import type { Edit } from '@pannet/core/song/edits/edit';
import { movedClip } from '@pannet/core/takes/clip-edits';
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

/** Clips that lie over each other, in one take or in several: what is moved together. */
export interface Phrase {
  /** Where it is heard, in frames. */
  readonly from: number;
  readonly to: number;
  /** Its clips, by the ids of their takes. */
  readonly clips: ReadonlyMap<string, readonly number[]>;
}

/** The phrases of a part, in their order; none where a take is not cut into clips. */
export function phrasesOf({ takes }: Part): Phrase[] {
  if (takes.some(({ clips }) => clips === null)) return [];
  const laid = takes.flatMap(({ id, clips, align }) => {
    const shift = align?.path?.shift[0] ?? 0;
    return (clips ?? []).map(({ atFrame, fromFrame, toFrame }, n) => {
      const from = atFrame - shift;
      return { id, n, from, to: from + toFrame - fromFrame };
    });
  });
  laid.sort((a, b) => a.from - b.from);
  const phrases: { from: number; to: number; clips: Map<string, number[]> }[] = [];
  for (const { id, n, from, to } of laid) {
    let phrase = phrases.at(-1);
    if (!phrase || from >= phrase.to) {
      phrase = { from, to, clips: new Map() };
      phrases.push(phrase);
    }
    phrase.to = Math.max(phrase.to, to);
    phrase.clips.set(id, [...(phrase.clips.get(id) ?? []), n]);
  }
  return phrases;
}

/** Said of a phrase that lies at the song's beginning and would go before it. */
export const noEarlier = 'It begins where the song begins, and goes no earlier.';

/** One phrase of a part moved by so many frames, as edits: no farther than to the song's beginning; none where it lies there. */
export function phraseEdits(part: Part, { clips }: Phrase, by: number): readonly Edit[] {
  const first = Math.min(
    ...part.takes.flatMap((take) =>
      (clips.get(take.id) ?? []).map((n) => take.clips?.[n].atFrame ?? 0),
    ),
  );
  const frames = Math.max(-first, by);
  if (frames === 0) return [];
  return part.takes.flatMap((take): Edit[] => {
    const moved = clips.get(take.id);
    if (!moved || !take.clips) return [];
    const changes = {
      clips: take.clips.map((clip, n) => (moved.includes(n) ? movedClip(clip, frames) : clip)),
    };
    return [{ kind: 'set-take', partId: part.id, takeId: take.id, changes }];
  });
}

/** What a shift is called under undo. */
export function shiftName(part: Part, by: number, rateHz: number): string {
  return `${part.name}: moved ${signedFigure((by / rateHz) * 1000, 2)} ms`;
}
