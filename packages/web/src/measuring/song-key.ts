import type { Song } from '@pannet/core/song/song';

/** All that the sound of a whole song depends on, as one text. */
export function songKey(song: Song): string {
  const { parts, partOrder, panLaw, groups, rooms, moves, tempo } = song;
  return JSON.stringify([parts, partOrder, panLaw, groups, rooms, moves, tempo]);
}
