import * as z from 'zod';
import { tempoDescription } from '../moves/tempo.ts';
import { failure, success, type Outcome } from '../outcome.ts';
import { isRecorded, mostImpulseSeconds, type Amp } from '../amps/amp.ts';
import { checkImage } from '../image/image.ts';
import { figure } from '../quantities/wording.ts';
import {
  choice,
  contentHash,
  id,
  text,
  thing,
  value,
  type Described,
} from '../parameters/description.ts';
import { bedParameters, rateParameter } from '../parameters/tables.ts';
import { arrangedFrames } from '../takes/arrangement.ts';
import type { Take } from '../takes/take.ts';
import { refusedRooms } from '../rooms/between.ts';
import { refusedResponse } from '../rooms/response.ts';
import { mostRooms, roomDescription } from '../rooms/room.ts';
import { panLaws } from '../voices/pan-law.ts';
import { groupDescription, groupsAround, mostGroups, mostMoves, moveDescription } from './along.ts';
import { comparisonDescription, mostComparisons } from './comparison.ts';
import { refusedImageMoves, refusedMove } from './movable.ts';
import { partDescription, type Part } from './part.ts';
import { recordingDescription, type Recording } from './recording.ts';

export type { Take } from '../takes/take.ts';
export type { Comparison } from './comparison.ts';
export { mostComparisons } from './comparison.ts';
export type { Group, Move } from './along.ts';
export type { Feed, Room } from '../rooms/room.ts';
export type { Original, Recording } from './recording.ts';
export { families, newPart, type Family, type Part } from './part.ts';

/** A rough mix of everything else: heard, never processed, never exported. */
export const bedDescription = thing({
  recording: contentHash(),
  levelDb: value(bedParameters.levelDb),
});
export type Bed = Described<typeof bedDescription>;

export const songFormat = 3;

/** null until the first recording decides. */
export const songRate = value(rateParameter).unwrap().nullable().default(null);
export const songTitle = text('A title', 120);
export const songPanLaw = choice(panLaws).default('-3');

/** The immutable document. It changes only by commands. */
export const songDescription = thing({
  formatVersion: z.literal(songFormat),
  id: id('a song'),
  title: songTitle,
  rateHz: songRate,
  panLaw: songPanLaw,
  recordings: z.record(contentHash(), recordingDescription).default({}),
  parts: z.record(id('a part'), partDescription).default({}),
  partOrder: z.array(id('a part')).default([]),
  bed: bedDescription.nullable().default(null),
  /** What was found by comparing blind, the newest last. */
  comparisons: z.array(comparisonDescription).max(mostComparisons).default([]),
  groups: z.array(groupDescription).max(mostGroups).default([]),
  rooms: z.array(roomDescription).max(mostRooms).default([]),
  moves: z.array(moveDescription).max(mostMoves).default([]),
  tempo: tempoDescription.nullable().default(null),
});
export type Song = Described<typeof songDescription>;

export const mostParts = 64;

/** A take ends within this time of the song's beginning. */
const longestHours = 24;

/** Where a song has no rate yet, what needs one is checked against this. */
const usualRateHz = 48_000;

export function rateOf(song: Song): number {
  return song.rateHz ?? usualRateHz;
}

export function emptySong(id: string, title: string): Song {
  return songDescription.parse({ formatVersion: songFormat, id, title }) as Song;
}

/** What a described part may not be in its song: all that it names must be there. */
export function checkPart(song: Song, part: Part, place = 'part'): Outcome<Part> {
  const ids = new Set<string>();
  for (const [n, take] of part.takes.entries()) {
    const at = `${place}.takes[${n}]`;
    if (ids.has(take.id))
      return failure('same-id', `Two takes have the id “${take.id}”.`, `${at}.id`);
    ids.add(take.id);
    if (!Object.hasOwn(song.recordings, take.recording))
      return failure('no-recording', 'A take names a recording that the song does not have.', at);
    const recording = song.recordings[take.recording];
    if (take.channel >= recording.channels)
      return failure(
        'no-channel',
        `“${recording.fileName}” has no channel ${take.channel}.`,
        `${at}.channel`,
      );
    if (takeFrames(song, take) > longestHours * 3600 * rateOf(song))
      return failure(
        'too-late',
        `“${take.name}” ends more than ${longestHours} hours after the song begins.`,
        at,
      );
  }
  for (const [n, { align, id }] of part.takes.entries())
    if (align && (align.to === id || !ids.has(align.to)))
      return failure(
        'no-reference',
        'A take is brought into time with another take of its part.',
        `${place}.takes[${n}].align.to`,
      );
  for (const [number, moves] of Object.entries(part.draftMoves)) {
    const refused = refusedImageMoves(moves, `${place}.draftMoves.${number}`);
    if (refused) return refused;
  }
  if (part.frozen && !Object.hasOwn(song.recordings, part.frozen.recording))
    return failure('no-recording', frozenNowhere('A part'), `${place}.frozen.recording`);
  const images = [
    [part.image, `${place}.image`] as const,
    ...Object.entries(part.drafts).map(
      ([number, draft]) => [draft, `${place}.drafts.${number}`] as const,
    ),
  ];
  for (const [image, at] of images) {
    const checked = checkImage(image, rateOf(song), part.takes.length, at);
    if (!checked.ok) return checked;
    for (const [n, { amp }] of image.voices.entries()) {
      const refused = refusedImpulse(song, amp, `${at}.voices[${n}].amp.cabinet.impulse`);
      if (refused) return refused;
    }
  }
  return success(part);
}

const frozenNowhere = (thing: string) =>
  `${thing} is frozen as a recording that the song does not have.`;

/** A recorded impulse response must be a short recording of the song. */
function refusedImpulse(song: Song, amp: Amp | null, at: string): Outcome<never> | null {
  if (!amp?.cabinet || !isRecorded(amp.cabinet)) return null;
  const { impulse } = amp.cabinet;
  if (!Object.hasOwn(song.recordings, impulse))
    return failure(
      'no-impulse',
      'A chain is heard through an impulse response that the song does not have.',
      at,
    );
  const { fileName, frames, rateHz } = song.recordings[impulse];
  return frames > mostImpulseSeconds * rateHz
    ? failure('long-impulse', tooLong(fileName, frames / rateHz), at)
    : null;
}

/** Said of a file that is longer than an impulse response may be. */
export function tooLong(fileName: string, seconds: number): string {
  return `An impulse response is ${figure(mostImpulseSeconds, 0)} s long at most; “${fileName}” has ${figure(seconds, 2)} s.`;
}

/** Whether a recording is an impulse response of any image or draft of the song. */
export function isImpulse(song: Song, hash: string): boolean {
  return Object.values(song.parts).some((part) =>
    [part.image, ...Object.values(part.drafts)].some(({ voices }) =>
      voices.some(
        ({ amp }) => amp?.cabinet && isRecorded(amp.cabinet) && amp.cabinet.impulse === hash,
      ),
    ),
  );
}

/** What a described song may not be: all that names something else must name what is there. */
export function checkSong(song: Song): Outcome<Song> {
  const refuse = (sentence: string, place: string) => failure('contradiction', sentence, place);
  for (const [hash, recording] of Object.entries(song.recordings)) {
    if (recording.hash !== hash)
      return refuse('A recording stands under another hash than its own.', `recordings.${hash}`);
    if (song.rateHz !== null && recording.rateHz !== song.rateHz)
      return refuse(
        `“${recording.fileName}” is at ${recording.rateHz} Hz, the song at ${song.rateHz} Hz.`,
        `recordings.${hash}.rateHz`,
      );
  }
  const ids = Object.keys(song.parts);
  if (ids.length > mostParts) return refuse(`A song has at most ${mostParts} parts.`, 'parts');
  const ordered = new Set(song.partOrder);
  if (ordered.size !== song.partOrder.length || ids.length !== ordered.size)
    return refuse('The order names every part once.', 'partOrder');
  for (const id of ids) {
    if (!ordered.has(id) || song.parts[id].id !== id)
      return refuse('The order names every part once, by its id.', 'partOrder');
    const checked = checkPart(song, song.parts[id], `parts.${id}`);
    if (!checked.ok) return checked;
  }
  if (song.bed && !Object.hasOwn(song.recordings, song.bed.recording))
    return refuse('The bed names a recording that the song does not have.', 'bed.recording');
  const grouped = song.groups.flatMap(({ partIds }) => partIds);
  if (new Set(grouped).size !== grouped.length || grouped.some((id) => !ordered.has(id)))
    return refuse('A group names parts of the song, and each is in one group at most.', 'groups');
  if (new Set(song.groups.map(({ id }) => id)).size !== song.groups.length)
    return refuse('Two groups have one id.', 'groups');
  for (const [n, group] of song.groups.entries()) {
    if (group.parentId === null) continue;
    const place = `groups[${n}].parentId`;
    if (!song.groups.some(({ id }) => id === group.parentId))
      return refuse('A group lies in a group of the song.', place);
    if (groupsAround(song, group).includes(group))
      return refuse(`“${group.name}” cannot lie in a group that lies in it.`, place);
  }
  if (new Set(song.rooms.map(({ id }) => id)).size !== song.rooms.length)
    return refuse('Two rooms have one id.', 'rooms');
  for (const [n, { frozen }] of song.rooms.entries())
    if (frozen && !Object.hasOwn(song.recordings, frozen.recording))
      return refuse(frozenNowhere('A room'), `rooms[${n}].frozen.recording`);
  const refusedBetween = refusedRooms(song.rooms, new Set(song.groups.map(({ id }) => id)));
  if (refusedBetween) return refusedBetween;
  const refusedOwn = refusedResponse(song.rooms, song.recordings);
  if (refusedOwn) return refusedOwn;
  for (const [n, { feeds }] of song.rooms.entries())
    for (const [k, { partId, from, voiceId }] of feeds.entries()) {
      const place = `rooms[${n}].feeds[${k}]`;
      if (!ordered.has(partId))
        return refuse('A room is fed by parts of the song.', `${place}.partId`);
      if ((from === 'voice') !== (voiceId !== null))
        return refuse(
          'A room that is fed by a voice names it, and by anything else none.',
          `${place}.voiceId`,
        );
    }
  const refusedBy = refusedMove(song, ordered);
  if (refusedBy) return refusedBy;
  return success(song);
}

export function partsInOrder(song: Song): Part[] {
  return song.partOrder.map((id) => song.parts[id]);
}

export function recordingOf(song: Song, take: Pick<Take, 'recording'>): Recording {
  return song.recordings[take.recording];
}

/** How long a take is, in frames, with its clips and in its place. */
export function takeFrames(song: Song, take: Take): number {
  return arrangedFrames(take, recordingOf(song, take).frames, rateOf(song));
}

/** Length of the longest take, in frames: what an export of the part has. */
export function partFrames(song: Song, part: Part): number {
  return Math.max(...part.takes.map((take) => takeFrames(song, take)));
}

const knownFrames = new WeakMap<Song, number>();

/** Of the longest part or the bed, in frames; worked out once, since the document never changes in place. */
export function songFrames(song: Song): number {
  let frames = knownFrames.get(song);
  if (frames === undefined) knownFrames.set(song, (frames = longestOf(song)));
  return frames;
}

function longestOf(song: Song): number {
  const lengths = partsInOrder(song).map((part) => partFrames(song, part));
  const bed = song.bed ? song.recordings[song.bed.recording].frames : 0;
  return Math.max(0, bed, ...lengths);
}
