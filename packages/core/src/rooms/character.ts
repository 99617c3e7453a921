import type { NetworkKind } from './room.ts';

/** What makes one kind of room differ from another: how long its ways are, and the box that its first echoes come from. */
export interface Character {
  /** The shortest and longest way round the network, in ms at a size of 100 %. */
  readonly shortestMs: number;
  readonly longestMs: number;
  /** Width, length and height in m of the box of the first reflections; null where there are none. */
  readonly box: readonly [number, number, number] | null;
  /** How much a wall gives back, linear. */
  readonly walls: number;
}

/** Of ours, of no room that stands anywhere. */
export const characters: Readonly<Record<NetworkKind, Character>> = {
  hall: { shortestMs: 31, longestMs: 83, box: [19, 28, 11], walls: 0.75 },
  chamber: { shortestMs: 15, longestMs: 47, box: [6.3, 8.9, 4.2], walls: 0.8 },
  plate: { shortestMs: 6, longestMs: 27, box: null, walls: 0 },
  ambience: { shortestMs: 4, longestMs: 19, box: [3.4, 4.7, 2.6], walls: 0.65 },
};
