import { interpolationWeights, movingTaps } from '../signal/sinc.ts';
import type { ReadFrames } from '../sources/blocks.ts';
import { runningEnergy } from './lag-table.ts';

const { abs, floor, max, min, round, sqrt } = Math;

/** A lag to a fraction of a frame, and how alike both readings are there. */
export interface RefinedLag {
  readonly lag: number;
  /** 0 to 1. */
  readonly likeness: number;
}

/** Steps towards the least difference; each leaves some 1 % of the error of the one before on what is in tune with itself. */
const steps = 3;
/** The slope is taken over half a frame: over a whole one the highest notes have none. */
const slopeReach = 0.25;

/**
 * Refines by how much a reading jumps at `place`: first whole frames by normalised correlation, then fractions by making the
 * difference of both readings least, interpolated as they will be when they are played (Gauss and Newton).
 * @param direction 1 jumps back by the lag, −1 ahead
 * @param around frames to either side of the given lag; 0 takes the lag as it is
 */
export async function refineLag(
  read: ReadFrames,
  place: number,
  direction: number,
  lag: number,
  window: number,
  around: number,
): Promise<RefinedLag> {
  const whole = floor(place);
  const margin = movingTaps;
  const current = await read(whole - margin, window + 2 * margin);
  const reach = around + margin + 2;
  const other = await read(whole - direction * round(lag) - reach, window + 2 * reach);
  const best = likeliestShift(current.subarray(margin, margin + window), other, reach, around);
  // Where the other reading begins, in frames of `other`.
  let at = best.shift + (place - whole);
  const mine = readAt(current, margin + (place - whole), window);
  let theirs = readAt(other, at, window);
  let difference = differenceOf(mine, theirs);
  for (let n = 0; n < steps && difference > 0 && around > 0; n++) {
    const move = newtonStep(mine, theirs, other, at, window);
    if (abs(at + move - best.shift - (place - whole)) > 1) break;
    const next = readAt(other, at + move, window);
    const nextDifference = differenceOf(mine, next);
    if (!(nextDifference < difference)) break;
    at += move;
    theirs = next;
    difference = nextDifference;
    if (abs(move) < 1e-5) break;
  }
  return {
    lag: round(lag) - direction * (at - (place - whole) - reach),
    likeness: best.silent ? 1 : likenessOf(mine, theirs),
  };
}

function likeliestShift(
  current: Float32Array,
  other: Float32Array,
  reach: number,
  around: number,
): { readonly shift: number; readonly silent: boolean } {
  const window = current.length;
  const energies = runningEnergy(other, window);
  let shift = reach;
  let highest = -Infinity;
  let silent = true;
  for (let n = reach - around; n <= reach + around; n++) {
    let sum = 0;
    for (let k = 0; k < window; k++) sum += current[k] * other[n + k];
    const scale = sqrt(energies[n]);
    if (scale < 1e-7) continue;
    silent = false;
    if (sum / scale > highest) {
      highest = sum / scale;
      shift = n;
    }
  }
  return { shift, silent };
}

/** By how much the other reading has to move for the difference to be least, were it straight. */
function newtonStep(
  mine: Float64Array,
  theirs: Float64Array,
  other: Float32Array,
  at: number,
  window: number,
): number {
  const later = readAt(other, at + slopeReach, window);
  const sooner = readAt(other, at - slopeReach, window);
  let along = 0;
  let steep = 0;
  for (let n = 0; n < window; n++) {
    const slope = (later[n] - sooner[n]) / (2 * slopeReach);
    along += (mine[n] - theirs[n]) * slope;
    steep += slope * slope;
  }
  return steep > 0 ? along / steep : 0;
}

/** Reads `count` values between the samples, from `at` on. */
function readAt(samples: Float32Array, at: number, count: number): Float64Array {
  const first = floor(at);
  const weights = interpolationWeights(at - first, movingTaps);
  const values = new Float64Array(count);
  const from = first - movingTaps / 2 + 1;
  for (let n = 0; n < count; n++) {
    let sum = 0;
    for (let k = 0; k < movingTaps; k++) sum += weights[k] * samples[from + n + k];
    values[n] = sum;
  }
  return values;
}

function differenceOf(a: Float64Array, b: Float64Array): number {
  let sum = 0;
  for (let n = 0; n < a.length; n++) sum += (a[n] - b[n]) ** 2;
  return sum;
}

function likenessOf(a: Float64Array, b: Float64Array): number {
  let [both, first, second] = [0, 0, 0];
  for (let n = 0; n < a.length; n++) {
    both += a[n] * b[n];
    first += a[n] * a[n];
    second += b[n] * b[n];
  }
  const scale = sqrt(first * second);
  return scale > 1e-12 ? max(0, min(1, both / scale)) : 1;
}
