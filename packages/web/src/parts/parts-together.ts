import { duplicateEdits } from '@pannet/core/song/duplicate';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part } from '@pannet/core/song/song';
import { plural } from '@pannet/core/quantities/wording';
import type { OpenSong } from '../session/open-song.ts';

/** The parts that what is done to one goes to: all selected ones, if it is among them. */
export function together(open: OpenSong, partId: string): readonly string[] {
  const { partIds } = open.selection.getState();
  return partIds.includes(partId) ? partIds : [partId];
}

/** One step of work for a part, or for all that are selected with it. */
export function stepForAll(
  open: OpenSong,
  part: Part,
  what: string,
  editsOf: (partId: string) => readonly Edit[],
): void {
  const ids = together(open, part.id);
  const more = ids.length > 1 ? ` (and ${plural(ids.length - 1, 'part')} more)` : '';
  open.do(`${part.name}: ${what}${more}`, ids.flatMap(editsOf));
}

/** Moves a part among the others by so many places. */
export function movePart(open: OpenSong, partId: string, by: number): void {
  const { partOrder } = open.session.store.getState().song;
  placePart(open, partId, partOrder.indexOf(partId) + by);
}

export function placePart(open: OpenSong, partId: string, index: number): void {
  const { partOrder, parts } = open.session.store.getState().song;
  const held = Math.max(0, Math.min(partOrder.length - 1, index));
  if (partOrder[held] === partId) return;
  open.do(`${parts[partId].name}: place ${held + 1} among the parts`, [
    { kind: 'move-part', partId, index: held },
  ]);
}

/** The same part once more with all that it is in, under it, and selected. */
export function duplicatePart(open: OpenSong, shown: Part): void {
  const part = open.keptPart(shown.id);
  if (!part) return;
  const { song } = open.session.store.getState();
  const { parts } = song;
  const taken = new Set(Object.values(parts).map(({ name }) => name));
  let n = 2;
  const named = () => `${part.name.slice(0, 76)} ${n}`;
  while (taken.has(named())) n++;
  const id = crypto.randomUUID();
  const copy: Part = { ...part, id, name: named(), toggleKey: null };
  const edits = duplicateEdits(song, part, copy, () => crypto.randomUUID());
  if (open.do(`duplicate ${part.name}`, edits))
    open.selection.setState({ partId: id, partIds: [id], voiceId: null, voiceIds: [] });
}
