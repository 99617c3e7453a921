import { besselI0 } from '../signal/sinc.ts';

const { ceil, max, min, PI, sin, sqrt } = Math;

/** Stop band of some 90 dB (Kaiser 1974). */
const beta = 0.1102 * (90 - 8.7);
/** Taps of the sharp step for each frame that is left out, on either side. */
const arms = 5;
/** What the sharp step leaves out; the blunt one before it leaves out the rest. */
const sharpFactor = 4;

/** A linear-phase low-pass at half the lower rate: flat to a fifth of it, and what folds back lies above that. */
const sharp = (() => {
  const half = arms * sharpFactor;
  const taps = new Float64Array(2 * half + 1);
  for (let n = -half; n <= half; n++) {
    const x = (PI * n) / sharpFactor;
    const window = besselI0(beta * sqrt(1 - (n / (half + 1)) ** 2)) / besselI0(beta);
    taps[n + half] = (n === 0 ? 1 : sin(x) / x) * window;
  }
  return normalised(taps);
})();

/**
 * Three running means of `factor` frames, one after the other: under a twentieth of the lower rate they take less than 0.11 dB, and
 * what folds back there is 77 dB down (Hogenauer 1981).
 */
function blunt(factor: number): Float64Array {
  const box = new Float64Array(factor).fill(1);
  return normalised(convolved(convolved(box, box), box));
}

function convolved(a: Float64Array, b: Float64Array): Float64Array {
  const out = new Float64Array(a.length + b.length - 1);
  for (let n = 0; n < a.length; n++) for (let k = 0; k < b.length; k++) out[n + k] += a[n] * b[k];
  return out;
}

function normalised(taps: Float64Array): Float64Array {
  const sum = taps.reduce((whole, tap) => whole + tap, 0);
  return taps.map((tap) => tap / sum);
}

/** One frame in `factor`, filtered; the tails beyond both ends are kept, since their energy belongs to the whole. */
function thinned(samples: Float32Array, factor: number, taps: Float64Array): Float32Array {
  const middle = (taps.length - 1) / 2;
  const lead = ceil(taps.length / 2 / factor);
  const out = new Float32Array(ceil(samples.length / factor) + 2 * lead);
  for (let n = 0; n < out.length; n++) {
    const first = ceil((n - lead) * factor - middle);
    const from = max(0, first);
    const to = min(samples.length, first + taps.length);
    let sum = 0;
    for (let at = from, k = from - first; at < to; at++, k++) sum += taps[k] * samples[at];
    out[n] = sum;
  }
  return out;
}

/**
 * The low end of a signal at a lower rate: what lies under a fifth of that is as it was (to 0.11 dB).
 * @param factor a power of two, 4 at least
 */
export function lowered(samples: Float32Array, factor: number): Float32Array {
  const before = factor / sharpFactor;
  const first = before > 1 ? thinned(samples, before, blunt(before)) : samples;
  return thinned(first, sharpFactor, sharp);
}
