import { framesToMs, frames, hz, powerToDb } from '../quantities/units.ts';
import { nextPowerOfTwo, PairFft, realInverse } from '../signal/spectrum.ts';

/** Sums over a stretch that tell how the two sides stand to each other at lag 0. */
export interface SideSums {
  readonly left: number;
  readonly right: number;
  readonly cross: number;
}

export function sideSums(left: ArrayLike<number>, right: ArrayLike<number>): SideSums {
  let sumLeft = 0;
  let sumRight = 0;
  let cross = 0;
  for (let n = 0; n < left.length; n++) {
    sumLeft += left[n] * left[n];
    sumRight += right[n] * right[n];
    cross += left[n] * right[n];
  }
  return { left: sumLeft, right: sumRight, cross };
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

export interface Likeness {
  /** Signed, −1 to 1. */
  readonly value: number;
  /** Above 0: the right side speaks later, so the left one leads. */
  readonly lagMs: number;
}

const largestLagMs = 200;

/**
 * Are the sides copies, and by how much apart: the signed peak of largest magnitude of the normalised
 * cross-correlation within ±200 ms, over all that is given. null where a side is silent.
 */
export function likeness(
  left: Float32Array,
  right: Float32Array,
  rateHz: number,
  tick: (share: number) => void = () => {},
): Likeness | null {
  const sums = sideSums(left, right);
  const scale = Math.sqrt(sums.left * sums.right);
  if (!(scale > 0)) return null;
  const maxLag = Math.round((largestLagMs * rateHz) / 1000);
  const size = nextPowerOfTwo(maxLag * 6);
  const segment = size - 2 * maxLag;
  const fft = new PairFft(size);
  const { z } = fft;
  // The left side for the stretch alone, the right one for all that may be compared with it.
  const product = new Float64Array(size + 2);
  const whole = new Float64Array(size).fill(1);
  const stretch = new Float32Array(size);
  for (let from = 0; from < left.length; from += segment) {
    stretch.fill(0);
    stretch.set(left.subarray(from, from + segment), maxLag);
    fft.forward(stretch, 0, right, from - maxLag, whole);
    for (let k = 0; k <= size / 2; k++) {
      const zr = z[2 * k];
      const zi = z[2 * k + 1];
      const mirror = k === 0 ? 0 : 2 * (size - k);
      const wr = z[mirror];
      const wi = z[mirror + 1];
      // See `PairFft`.
      product[2 * k] += (zr * wi + zi * wr) / 2;
      product[2 * k + 1] -= (zr * zr + zi * zi - wr * wr - wi * wi) / 4;
    }
    tick(from / left.length);
  }
  const correlations = realInverse(product, size);
  const at = (lag: number) => correlations[(lag + size) % size];
  let best = 0;
  for (let lag = -maxLag; lag <= maxLag; lag++)
    if (Math.abs(at(lag)) > Math.abs(at(best))) best = lag;
  const offset = Math.abs(best) < maxLag ? parabolaPeak(at(best - 1), at(best), at(best + 1)) : 0;
  return {
    value: Math.max(-1, Math.min(1, at(best) / scale)),
    lagMs: framesToMs(frames(best + offset), hz(rateHz)),
  };
}

/** Where between −0.5 and 0.5 the extremum through three neighbours lies. */
export function parabolaPeak(before: number, peak: number, after: number): number {
  const curvature = before - 2 * peak + after;
  if (curvature === 0) return 0;
  return Math.max(-0.5, Math.min(0.5, (0.5 * (before - after)) / curvature));
}
