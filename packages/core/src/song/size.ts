import { failure, type Outcome } from '../outcome.ts';
import { figure } from '../quantities/wording.ts';
import type { Part } from './part.ts';
import type { Song } from './song.ts';

/**
 * How large a song may become, in letters of its JSON: 64 parts of usual images, versions and automation take half of it. More
 * is refused; what is larger already can be opened and made smaller.
 */
export const maxSongLetters = 4_000_000;
export const maxRecordings = 2000;

/** Things of a document never change in place, so each is measured once. */
const known = new WeakMap<object, number>();

function lettersOf(thing: unknown): number {
  if (typeof thing !== 'object' || thing === null) return JSON.stringify(thing)?.length ?? 0;
  let letters = known.get(thing);
  if (letters === undefined) known.set(thing, (letters = JSON.stringify(thing).length));
  return letters;
}

/** The same, with what lies in it measured by itself: an edit makes one of its values anew and leaves the others. */
function lettersByValue(thing: object): number {
  let letters = known.get(thing);
  if (letters !== undefined) return letters;
  letters = 1;
  for (const [key, value] of Object.entries(thing)) letters += key.length + 4 + lettersOf(value);
  known.set(thing, letters);
  return letters;
}

function partLetters(part: Part): number {
  const { drafts, ...rest } = part;
  let letters = lettersByValue(drafts) + '"drafts":,'.length;
  for (const [key, value] of Object.entries(rest)) letters += key.length + 4 + lettersOf(value);
  return letters;
}

/** Letters of a song's JSON, to within its own punctuation. */
export function songLetters(song: Song): number {
  let letters = 0;
  for (const part of Object.values(song.parts)) letters += partLetters(part);
  for (const recording of Object.values(song.recordings)) letters += lettersOf(recording);
  for (const list of [song.moves, song.groups, song.rooms, song.comparisons])
    for (const each of list) letters += lettersOf(each);
  return letters + lettersOf(song.tempo) + lettersOf(song.partOrder);
}

/** What a change may not make of a song; null where it may. */
export function refusedGrowth(before: Song, after: Song): Outcome<never> | null {
  const count = Object.keys(after.recordings).length;
  if (count > maxRecordings && count > Object.keys(before.recordings).length)
    return failure(
      'too-many-recordings',
      `A song has at most ${maxRecordings} recordings: remove those that it does not use.`,
    );
  const letters = songLetters(after);
  if (letters <= maxSongLetters || letters <= songLetters(before)) return null;
  const mb = (value: number) => figure(value / 1e6, 1);
  return failure(
    'song-too-large',
    `This makes the song too large: its settings would take ${mb(letters)} MB, and ${mb(maxSongLetters)} MB is the limit. Remove saved versions, automation points or parts that you no longer need.`,
  );
}
