import { besselI0 } from './sinc.ts';

const { PI, sin, sqrt } = Math;

/** Taps on each side of the middle that are not 0; the filter is flat to 0.45 of the lower rate. */
const arms = 48;
const length = 4 * arms - 1;
const middle = 2 * arms - 1;
/** For some 100 dB of stop band (Kaiser 1974). */
const beta = 0.1102 * (100 - 8.7);

/** Every second tap but the middle one is 0: only the others are kept. */
const taps = (() => {
  const all = new Float64Array(2 * arms);
  let sum = 0;
  for (let k = 0; k < 2 * arms; k++) {
    const distance = 2 * k - middle;
    const window = besselI0(beta * sqrt(1 - (distance / (middle + 1)) ** 2)) / besselI0(beta);
    all[k] = (sin((PI * distance) / 2) / (PI * distance)) * window;
    sum += all[k];
  }
  for (let k = 0; k < all.length; k++) all[k] *= 0.5 / sum;
  return all;
})();

/** Doubles or halves the rate by a linear-phase half-band filter. One object for one direction. */
export class HalfBand {
  #history = new Float64Array(0);

  /** Up and down again, in frames of the lower rate. */
  static readonly latencyFrames = middle;

  #extended(samples: Float64Array, kept: number): Float64Array {
    const extended = new Float64Array(kept + samples.length);
    extended.set(this.#history.length === kept ? this.#history : new Float64Array(kept));
    extended.set(samples, kept);
    this.#history = extended.slice(extended.length - kept);
    return extended;
  }

  /** Twice as many values, `middle` of the higher rate late. */
  upsample(samples: Float64Array): Float64Array {
    const kept = 2 * arms;
    const x = this.#extended(samples, kept);
    const twice = new Float64Array(2 * samples.length);
    for (let n = 0; n < samples.length; n++) {
      // Of the zero-stuffed signal every output meets either the outer taps or the middle one.
      let sum = 0;
      for (let k = 0; k < 2 * arms; k++) sum += taps[k] * x[n + kept - k];
      twice[2 * n] = 2 * sum;
      twice[2 * n + 1] = x[n + kept - arms + 1];
    }
    return twice;
  }

  /** Half as many values, `middle` of the higher rate late. */
  downsample(twice: Float64Array, samples: Float64Array): void {
    const kept = length;
    const x = this.#extended(twice, kept);
    for (let n = 0; n < samples.length; n++) {
      const at = 2 * n + kept;
      let sum = 0.5 * x[at - middle];
      for (let k = 0; k < 2 * arms; k++) sum += taps[k] * x[at - 2 * k];
      samples[n] = sum;
    }
  }
}
