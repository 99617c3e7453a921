import { besselI0 } from './sinc.ts';

const { PI, sin, sqrt } = Math;

/** For some 100 dB of stop band (Kaiser 1974). */
const beta = 0.1102 * (100 - 8.7);

/** A half-band filter: every second tap but the middle one is 0, only the others are kept; they are the same both ways. */
export interface HalfBandTaps {
  /** Taps on each side of the middle that are not 0. */
  readonly arms: number;
  /** One side of them, from the end to the middle. */
  readonly side: Float64Array;
}

function halfBandTaps(arms: number): HalfBandTaps {
  const middle = 2 * arms - 1;
  const side = new Float64Array(arms);
  let sum = 0;
  for (let k = 0; k < arms; k++) {
    const distance = 2 * k - middle;
    const window = besselI0(beta * sqrt(1 - (distance / (middle + 1)) ** 2)) / besselI0(beta);
    side[k] = (sin((PI * distance) / 2) / (PI * distance)) * window;
    sum += 2 * side[k];
  }
  for (let k = 0; k < arms; k++) side[k] *= 0.5 / sum;
  return { arms, side };
}

/** Flat to 0.45 of the lower rate: where both rates are those that are heard. */
export const steep = halfBandTaps(48);
/** Flat to 0.28 of it: where nothing that is kept lies higher. */
export const gentle = halfBandTaps(8);

/** Doubles or halves the rate by a linear-phase half-band filter. One object for one direction. */
export class HalfBand {
  #history = new Float64Array(0);
  readonly #taps: HalfBandTaps;

  constructor(taps: HalfBandTaps = steep) {
    this.#taps = taps;
  }

  /** Up and down again, in frames of the lower rate; half of it is one way. */
  static latencyOf({ arms }: HalfBandTaps): number {
    return 2 * arms - 1;
  }

  static readonly latencyFrames = HalfBand.latencyOf(steep);

  #extended(samples: Float64Array, kept: number): Float64Array {
    const extended = new Float64Array(kept + samples.length);
    extended.set(this.#history.length === kept ? this.#history : new Float64Array(kept));
    extended.set(samples, kept);
    this.#history = extended.slice(extended.length - kept);
    return extended;
  }

  /** Twice as many values, `latencyOf` of the higher rate late. */
  upsample(samples: Float64Array): Float64Array {
    const { arms, side } = this.#taps;
    const kept = 2 * arms;
    const x = this.#extended(samples, kept);
    const twice = new Float64Array(2 * samples.length);
    for (let n = 0; n < samples.length; n++) {
      // Of the zero-stuffed signal every output meets either the outer taps or the middle one.
      let sum = 0;
      for (let k = 0, first = n + kept, last = n + 1; k < arms; k++)
        sum += side[k] * (x[first - k] + x[last + k]);
      twice[2 * n] = 2 * sum;
      twice[2 * n + 1] = x[n + kept - arms + 1];
    }
    return twice;
  }

  /** Half as many values, `latencyOf` of the higher rate late. */
  downsample(twice: Float64Array, samples: Float64Array): void {
    const { arms, side } = this.#taps;
    const kept = 4 * arms - 1;
    const x = this.#extended(twice, kept);
    for (let n = 0; n < samples.length; n++) {
      const at = 2 * n + kept;
      let sum = 0.5 * x[at - 2 * arms + 1];
      for (let k = 0, last = at - 4 * arms + 2; k < arms; k++)
        sum += side[k] * (x[at - 2 * k] + x[last + 2 * k]);
      samples[n] = sum;
    }
  }
}
