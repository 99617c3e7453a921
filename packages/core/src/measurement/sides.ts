import { powerToDb } from '../quantities/units.ts';

/** Sums over a stretch that tell how the two sides stand to each other at lag 0. */
export interface SideSums {
  readonly left: number;
  readonly right: number;
  readonly cross: number;
}

/** Σlr/√(Σl²Σr²), −1 to 1; null where a side is silent. */
export function correlation(sums: SideSums): number | null {
  const scale = Math.sqrt(sums.left * sums.right);
  return scale > 0 ? sums.cross / scale : null;
}

/** Energy of S over M in dB: −Infinity for a mono signal, null for silence. */
export function sideToMidDb(sums: SideSums): number | null {
  const both = sums.left + sums.right;
  if (both <= 0) return null;
  return powerToDb(Math.max(0, both - 2 * sums.cross) / Math.max(0, both + 2 * sums.cross));
}

/** S at least this far under M counts as mono: common practice. */
export const stillMonoDb = -50;

export function isStillMono(sums: SideSums): boolean {
  const ratio = sideToMidDb(sums);
  return ratio !== null && ratio <= stillMonoDb;
}

/** By how many dB the image is heavier: above 0 left, below 0 right; null where a side is silent. */
export function leanDb(sums: SideSums): number | null {
  return sums.left > 0 && sums.right > 0 ? powerToDb(sums.left / sums.right) : null;
}
