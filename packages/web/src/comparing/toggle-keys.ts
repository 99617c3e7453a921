import type { Part, Song } from '@pannet/core/song/song';

/** Letters for parts, row by row; those that already say something are left out. */
export const toggleLetters: readonly string[] = [...'qwertyuioasdghjkzxcvbnm'];

/** The key that flips a part between plain and image: its own, or that of its row; null far down a long song. */
export function toggleKeyOf(song: Song, part: Part): string | null {
  return part.toggleKey ?? toggleLetters.at(song.partOrder.indexOf(part.id)) ?? null;
}

/** Parts that one key flips together. */
export function partsOfKey(song: Song, key: string): string[] {
  return song.partOrder.filter((id) => toggleKeyOf(song, song.parts[id]) === key);
}
