import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { partsOfRoom, roomsBefore } from '../rooms/between.ts';
import type { Move, Part, Room, Song } from './song.ts';
import { makingVersion } from './sound-version.ts';

/** JSON that is the same whatever order keys were put in: a document that was stored has another one. */
function canonical(value: unknown): string {
  if (typeof value !== 'object' || value === null) return JSON.stringify(value) ?? 'null';
  if (Array.isArray(value)) return `[${value.map(canonical).join()}]`;
  const entries = Object.entries(value).filter(([, held]) => held !== undefined);
  entries.sort(([a], [b]) => (a < b ? -1 : 1));
  return `{${entries.map(([key, held]) => `${JSON.stringify(key)}:${canonical(held)}`).join()}}`;
}

/** Parts and rooms never change in place: of what is dragged only that is hashed anew. Paths of takes are long, their hashes are not. */
const hashes = new WeakMap<object, string>();

function hashOf<Thing extends object>(thing: Thing, sound: (thing: Thing) => unknown): string {
  let hash = hashes.get(thing);
  if (hash === undefined) hashes.set(thing, (hash = hashed(canonical(sound(thing)))));
  return hash;
}

const hashed = (text: string): string => bytesToHex(sha256(utf8ToBytes(text)));

/** What of a room counts for whatever hears it. */
function soundOfRoom({ name: _, groupId: __, frozen: ___, ...sound }: Room): unknown {
  return sound;
}

/** What of a part's takes makes its image, and how; not how loud all of it is, nor what the engineer calls anything. */
const imageOf = ({ image, preparation, takes }: Part): unknown => [
  { ...image, voices: image.voices.map(unnamed) },
  preparation,
  takes.map(unnamed),
];

function unnamed<Thing extends { readonly name: string }>({ name: _, ...rest }: Thing): unknown {
  return rest;
}

/** What was rendered by another version is another sound. */
const versionLine = `made by ${makingVersion}`;

const same = <Thing>(thing: Thing): Thing => thing;

const soundOfMove = ({ target, curve }: Move): unknown => [target, curve];

/**
 * All that a room gives back depends on, as the hash of it, but for its level, and whether it is muted: where it goes from there, and how its return is ridden,
 * are of the moment.
 */
export function roomKey(song: Song, room: Room): string {
  const before = roomsBefore(song.rooms, room).filter(({ id }) => id !== room.id);
  const partIds = partsOfRoom(song.rooms, room).filter((id) => Object.hasOwn(song.parts, id));
  const ids = new Set(before.map(({ id }) => id));
  const moves = song.moves
    .filter(({ target: { kind, id, of } }) => {
      if (kind === 'part' || kind === 'voice') return partIds.includes(id);
      if (kind === 'feed') return (id === room.id || ids.has(id)) && of !== null;
      return kind === 'room' && ids.has(id);
    })
    .map((move) => hashOf(move, soundOfMove));
  const lines = [
    canonical({ ...(soundOfRoom(room) as Room), levelDb: 0, muted: false }),
    ...before.map((one) => hashOf(one, soundOfRoom)),
    ...partIds.map((id) =>
      canonical([id, song.parts[id].levelDb, song.parts[id].muted, song.parts[id].plainVoice]),
    ),
    ...partIds.map((id) => hashOf(song.parts[id], imageOf)),
    ...moves.sort(),
    canonical([song.panLaw, song.rateHz, song.tempo]),
    versionLine,
  ];
  return hashed(lines.join('\n'));
}

/** All that the image of a part depends on, as the hash of it, but for the part's level and what stands in the place of the image. */
export function partKey(song: Song, part: Part): string {
  const moves = song.moves.filter(
    ({ target: { kind, id, parameter } }) =>
      id === part.id &&
      (kind === 'voice' || (kind === 'part' && !['levelDb', 'imagePercent'].includes(parameter))),
  );
  const lines = [
    hashOf(part, imageOf),
    // Whichever part it is: a copy of it is frozen as the same.
    ...moves
      .map(({ target: { of, parameter }, curve }) => `${of}/${parameter}/${hashOf(curve, same)}`)
      .sort(),
    canonical([song.panLaw, song.rateHz, moves.length > 0 ? song.tempo : null]),
    versionLine,
  ];
  return hashed(lines.join('\n'));
}

/** Whether what was rendered of a room or a part is what it would give now. */
export function isFrozen(song: Song, thing: Room | Part): boolean {
  const { frozen } = thing;
  return (
    frozen !== null &&
    Object.hasOwn(song.recordings, frozen.recording) &&
    frozen.key === ('takes' in thing ? partKey(song, thing) : roomKey(song, thing))
  );
}

/** The rooms and parts that are frozen as a recording, whether that is what they would give now or not. */
export function frozenAs({ rooms, parts }: Song, hash: string): (Room | Part)[] {
  return [...rooms, ...Object.values(parts)].filter(({ frozen }) => frozen?.recording === hash);
}

/** By the song: what is the same song is the same one thawed. */
const thawedSongs = new WeakMap<Song, Song>();

/** The song with all of its rooms ringing live: while not all of it is listened to, what was rendered of all of it would be wrong. */
export function thawed(song: Song): Song {
  if (song.rooms.every(({ frozen }) => frozen === null)) return song;
  const known = thawedSongs.get(song);
  if (known) return known;
  const live = { ...song, rooms: song.rooms.map((room) => ({ ...room, frozen: null })) };
  thawedSongs.set(song, live);
  return live;
}
