import type { Part, Song } from '@pannet/core/song/song';
import { imageState } from './comparing.ts';

/** “Plain”, “Image”, “Draft 2”. */
export function nameOfState(state: string): string {
  if (state === 'plain') return 'Plain';
  return state === 'image' ? 'Image' : `Draft ${state}`;
}

/** What can be compared of a part: the image stands for itself only where it is not a draft as that was kept. */
export function statesOf(song: Pick<Song, 'moves'>, part: Part): string[] {
  const now = imageState(song, part);
  return ['plain', ...(now === 'image' ? ['image'] : []), ...Object.keys(part.drafts).sort()];
}
