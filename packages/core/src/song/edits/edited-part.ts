import { failure, type Outcome } from '../../outcome.ts';
import { describe } from '../../parameters/parameter.ts';
import { checkPart, type Part, type Song } from '../song.ts';
import { edited, type Edit, type Edited } from './edit.ts';

export function noPart(partId: string): Outcome<never> {
  return failure('no-part', `The song has no part with the id ${describe(partId)}.`, 'partId');
}

export function partOf(song: Song, partId: string): Part | undefined {
  return Object.hasOwn(song.parts, partId) ? song.parts[partId] : undefined;
}

/** Puts a changed part in the place of the one that it was, if its song lets it. */
export function changePart(
  song: Song,
  partId: string,
  change: (part: Part) => { readonly part: Part; readonly inverse: Edit } | Outcome<never>,
): Outcome<Edited> {
  const part = partOf(song, partId);
  if (!part) return noPart(partId);
  const changed = change(part);
  if ('ok' in changed) return changed;
  const checked = checkPart(song, changed.part);
  if (!checked.ok) return checked;
  return edited({ ...song, parts: { ...song.parts, [partId]: changed.part } }, changed.inverse);
}
