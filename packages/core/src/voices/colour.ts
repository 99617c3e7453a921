import { HalfBand } from '../signal/half-band.ts';

/** Harmonics that a voice gets, odd and even apart. */
export interface Colour {
  readonly oddPercent: number;
  readonly evenPercent: number;
}

/** Coefficients at 100 %: u − u³/3 is the steepest cubic that never turns back within the take's peak. */
const mostOdd = 1 / 3;
const mostEven = 1 / 4;

/**
 * Runs a signal through y = u + e·u² − o·u³, u being the signal over its peak: for a sine at the peak the third harmonic
 * lies at o/4 and the second at e/2, both some 19 dB under it at 100 %. Beyond the peak the curve goes straight on.
 *
 * A cubic makes nothing above three times the frequency it gets, so at twice the rate all that folds back lands above the
 * band that is kept: no aliasing but what the half-band filters let through.
 */
export class ColourRun {
  readonly #odd: number;
  readonly #even: number;
  readonly #peak: number;
  readonly #up = new HalfBand();
  readonly #down = new HalfBand();

  /** @param peak of the take, linear */
  constructor({ oddPercent, evenPercent }: Colour, peak: number) {
    this.#odd = (mostOdd * oddPercent) / 100;
    this.#even = (mostEven * evenPercent) / 100;
    this.#peak = peak > 0 ? peak : 1;
  }

  /** Of the half-band filters, there and back, in frames. */
  static readonly latencyFrames = HalfBand.latencyFrames;

  /** In place, `latencyFrames` late. */
  process(samples: Float64Array): void {
    const twice = this.#up.upsample(samples);
    const odd = this.#odd;
    const even = this.#even;
    const peak = this.#peak;
    for (let n = 0; n < twice.length; n++) {
      const u = twice[n] / peak;
      const held = u > 1 ? 1 : u < -1 ? -1 : u;
      const slope = 1 + 2 * even * held - 3 * odd * held * held;
      const curve = held + even * held * held - odd * held * held * held;
      twice[n] = peak * (curve + slope * (u - held));
    }
    this.#down.downsample(twice, samples);
  }
}
