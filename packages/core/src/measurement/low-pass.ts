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
 * Three running means of two frames, one after the other, and every other frame of them. So often that one frame in `factor` is left
 * it is three running means of `factor` frames: under a twentieth of the lower rate they take less than 0.11 dB, and what folds
 * back there is 77 dB down (Hogenauer 1981). The tails beyond both ends are kept, since their energy belongs to the whole.
 */
function halved(samples: Float32Array): Float32Array {
  const count = samples.length;
  const whole = count >> 1;
  const out = new Float32Array(whole + 2);
  // Handed on from one to the next: each is fetched once.
  let [x0, x1] = [0, 0];
  for (let n = 0; n < whole; n++) {
    const x2 = samples[2 * n];
    const x3 = samples[2 * n + 1];
    out[n] = 0.125 * (x0 + x3) + 0.375 * (x1 + x2);
    x0 = x2;
    x1 = x3;
  }
  const last = count % 2 === 1 ? samples[count - 1] : 0;
  out[whole] = 0.125 * x0 + 0.375 * (x1 + last);
  out[whole + 1] = 0.125 * last;
  return out;
}

function normalised(taps: Float64Array): Float64Array {
  const sum = taps.reduce((whole, tap) => whole + tap, 0);
  return taps.map((tap) => tap / sum);
}

/** One frame in `factor`, filtered; the tails are kept here too. */
function thinned(samples: Float32Array, factor: number, taps: Float64Array): Float32Array {
  const count = taps.length;
  const middle = (count - 1) / 2;
  const lead = ceil(count / 2 / factor);
  const out = new Float32Array(ceil(samples.length / factor) + 2 * lead);
  for (let n = 0; n < out.length; n++) {
    const first = ceil((n - lead) * factor - middle);
    if (first < 0 || first + count > samples.length) {
      out[n] = atEnd(samples, first, taps);
      continue;
    }
    // In two sums, so that an addition need not wait for the one before.
    let even = 0;
    let odd = 0;
    for (let k = 0; k < count - 1; k += 2) {
      even += taps[k] * samples[first + k];
      odd += taps[k + 1] * samples[first + k + 1];
    }
    if (count % 2 === 1) even += taps[count - 1] * samples[first + count - 1];
    out[n] = even + odd;
  }
  return out;
}

/** The same where the taps reach beyond what is there. */
function atEnd(samples: Float32Array, first: number, taps: Float64Array): number {
  let sum = 0;
  const to = min(samples.length, first + taps.length);
  for (let at = max(0, first); at < to; at++) sum += taps[at - first] * samples[at];
  return sum;
}

/**
 * The low end of a signal at a lower rate: what lies under a fifth of that is as it was (to 0.11 dB).
 * @param factor a power of two, 4 at least
 */
export function lowered(samples: Float32Array, factor: number): Float32Array {
  let signal = samples;
  for (let left = factor; left > sharpFactor; left /= 2) signal = halved(signal);
  return thinned(signal, sharpFactor, sharp);
}
