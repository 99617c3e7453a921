import { memory, takeRoom } from './loops.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { PI, sin, sqrt } = Math;

/**
 * Windowed-sinc interpolation: band-limited reading between samples.
 *
 * Kaiser window; β chosen for about 80 dB of stop band (Kaiser 1974, β = 0.1102·(A − 8.7)). 16 taps are flat to
 * 14.7 kHz at 44.1 kHz, 32 taps to 18 kHz; cubic interpolation would be −29 dB off at 10 kHz.
 */
const kaiserBeta = 0.1102 * (80 - 8.7);

/** Taps of the interpolator for fixed delays. */
export const delayTaps = 32;
/** Taps of the interpolator for moving reads. */
export const movingTaps = 16;
/** Phases of the moving interpolator's table: nearest phase is at most 1/8192 sample off (−81 dBc at 10 kHz). */
export const movingPhases = 4096;

export function besselI0(x: number): number {
  let sum = 1;
  let term = 1;
  for (let k = 1; k < 40; k++) {
    term *= (x / (2 * k)) ** 2;
    sum += term;
    if (term < sum * 1e-17) break;
  }
  return sum;
}

/**
 * Weights that read a signal at `fraction` (0 ≤ fraction < 1) past sample 0: Σ wₖ·x[k − taps/2 + 1].
 * They sum to 1, so that a constant stays one.
 */
export function interpolationWeights(fraction: number, taps: number): Float64Array {
  const weights = new Float64Array(taps);
  const half = taps / 2;
  let sum = 0;
  for (let k = 0; k < taps; k++) {
    const distance = k - half + 1 - fraction;
    const inside = 1 - (distance / half) ** 2;
    const window = inside <= 0 ? 0 : besselI0(kaiserBeta * sqrt(inside)) / besselI0(kaiserBeta);
    const sinc = distance === 0 ? 1 : sin(PI * distance) / (PI * distance);
    weights[k] = sinc * window;
    sum += weights[k];
  }
  for (let k = 0; k < taps; k++) weights[k] /= sum;
  return weights;
}

let table: Float64Array | undefined;

/** `movingPhases + 1` rows of `movingTaps` weights, in the loops' memory; made once, on first use. */
export function movingTable(): Float64Array {
  if (table) return table;
  const values = (movingPhases + 1) * movingTaps;
  const place = takeRoom(values);
  table = memory.subarray(place, place + values);
  for (let phase = 0; phase <= movingPhases; phase++)
    table.set(interpolationWeights(phase / movingPhases, movingTaps), phase * movingTaps);
  return table;
}
