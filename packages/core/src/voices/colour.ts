import { group, withDefaults, type Described } from '../parameters/description.ts';
import { colourParameters } from '../parameters/tables.ts';
import { Cascade } from '../signal/cascade.ts';
import { highPass } from '../signal/filters.ts';
import { HalfBand } from '../signal/half-band.ts';

/** Harmonics that a voice gets, odd and even apart. */
export const colourDescription = withDefaults(group(colourParameters));
export type Colour = Described<typeof colourDescription>;

/** Coefficients at 100 %: u − u³/3 is the steepest cubic that never turns back within the take's peak. */
const mostOdd = 1 / 3;
const mostEven = 1 / 4;

/** Lowest harmonic that is kept. */
const stillHz = 15;

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
  /** A square has a mean, which is no sound and would click where a voice is faded. */
  readonly #still: Cascade;
  readonly #up = new HalfBand();
  readonly #down = new HalfBand();

  /** @param peak of the take, linear */
  constructor({ oddPercent, evenPercent }: Colour, peak: number, rateHz: number) {
    this.#still = new Cascade([highPass(stillHz, Math.SQRT1_2, 2 * rateHz)]);
    this.#odd = (mostOdd * oddPercent) / 100;
    this.#even = (mostEven * evenPercent) / 100;
    this.#peak = peak > 0 ? peak : 1;
  }

  /** Of the half-band filters, there and back, in frames. */
  static readonly latencyFrames = HalfBand.latencyFrames;

  /** In place, `latencyFrames` late. */
  process(samples: Float64Array): void {
    const twice = this.#up.upsample(samples);
    const squares = new Float64Array(twice.length);
    const odd = this.#odd;
    const even = this.#even;
    const peak = this.#peak;
    for (let n = 0; n < twice.length; n++) {
      const u = twice[n] / peak;
      const held = u > 1 ? 1 : u < -1 ? -1 : u;
      const beyond = u - held;
      squares[n] = peak * even * held * (held + 2 * beyond);
      twice[n] = peak * (u - odd * held * held * (held + 3 * beyond));
    }
    if (even > 0) {
      this.#still.process(squares);
      for (let n = 0; n < twice.length; n++) twice[n] += squares[n];
    }
    this.#down.downsample(twice, samples);
  }
}
