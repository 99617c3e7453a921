import { besselI0 } from '../signal/sinc.ts';

const { ceil, PI, sin, sqrt } = Math;

/** Stop band of some 90 dB (Kaiser 1974). */
const beta = 0.1102 * (90 - 8.7);
/** Taps for each frame that is left out, on either side. */
const arms = 5;

const filters = new Map<number, Float64Array>();

/** A linear-phase low-pass at half the lower rate: flat to a fifth of it, and what folds back lies above that. */
function filterFor(factor: number): Float64Array {
  let taps = filters.get(factor);
  if (taps) return taps;
  const half = arms * factor;
  taps = new Float64Array(2 * half + 1);
  let sum = 0;
  for (let n = -half; n <= half; n++) {
    const x = (PI * n) / factor;
    const window = besselI0(beta * sqrt(1 - (n / (half + 1)) ** 2)) / besselI0(beta);
    taps[n + half] = (n === 0 ? 1 : sin(x) / x) * window;
    sum += taps[n + half];
  }
  for (let n = 0; n < taps.length; n++) taps[n] /= sum;
  filters.set(factor, taps);
  return taps;
}

/** One frame in `factor`, what lies under a fifth of the lower rate as it was; silence is taken to be outside. */
export function lowered(samples: Float32Array, factor: number): Float32Array {
  const taps = filterFor(factor);
  const half = (taps.length - 1) / 2;
  // The tails that ring beyond both ends are kept: their energy belongs to the whole.
  const lead = arms;
  const out = new Float32Array(ceil(samples.length / factor) + 2 * lead);
  for (let n = 0; n < out.length; n++) {
    const middle = (n - lead) * factor;
    const from = Math.max(0, middle - half);
    const to = Math.min(samples.length - 1, middle + half);
    let sum = 0;
    for (let at = from, k = from - middle + half; at <= to; at++, k++) sum += taps[k] * samples[at];
    out[n] = sum;
  }
  return out;
}
