import { safeFileName } from '@pannet/core/formats/file-name';
import { roots } from '@pannet/core/rendering/plan';
import type { Room, Song } from '@pannet/core/song/song';

/** The room whose return a stem is; null where it is a part's. */
export function roomOfStem(song: Song, stemId: string): Room | null {
  return song.rooms.find(({ id }) => roots.room(id) === stemId) ?? null;
}

/** All that can be written of a song: its parts, and what its rooms give back. */
export function stemIds(song: Song): readonly string[] {
  return [...song.partOrder, ...song.rooms.map(({ id }) => roots.room(id))];
}

export function stemName(song: Song, stemId: string): string {
  const room = roomOfStem(song, stemId);
  return room ? `${room.name}, return` : song.parts[stemId].name;
}

/** `take.wav` becomes `take_wide.wav`, a room's return is named after it; those that would be named alike are told apart by a number. */
export function exportNames(song: Song, ids: readonly string[]): string[] {
  const used = new Set<string>();
  return ids.map((id) => {
    const base = baseOf(song, id);
    let name = `${base}.wav`;
    for (let n = 2; used.has(name.toLowerCase()); n++) name = `${base}-${n}.wav`;
    used.add(name.toLowerCase());
    return name;
  });
}

function baseOf(song: Song, stemId: string): string {
  const room = roomOfStem(song, stemId);
  if (room) return `${safeFileName(room.name)}_return`;
  const { fileName } = song.recordings[song.parts[stemId].takes[0].recording];
  return `${safeFileName(fileName.replace(/\.[^.]*$/, ''))}_wide`;
}
