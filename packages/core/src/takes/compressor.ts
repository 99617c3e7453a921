import { group, withDefaults, type Described } from '../parameters/description.ts';
import { compressorParameters } from '../parameters/tables.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { abs, max, exp, log10 } = Math;

/** What is above the threshold is brought down by the ratio; off where the threshold is null. */
export const compressorDescription = withDefaults(group(compressorParameters));
export type Compressor = Described<typeof compressorDescription>;

/** Half of it lies on either side of the threshold. */
const kneeDb = 6;
/** The gain is worked out every so many frames and goes straight between: nothing transcendental runs per sample. */
const stride = 16;

/**
 * Gain of the static curve at a level, in dB, 0 and below: hard line above, quadratic knee.
 * Giannoulis, Massberg, Reiss: Digital Dynamic Range Compressor Design, J. AES 60 (2012), eq. 4; from memory.
 */
export function reductionDb(levelDb: number, thresholdDb: number, ratio: number): number {
  const over = levelDb - thresholdDb;
  const slope = 1 / ratio - 1;
  if (2 * over <= -kneeDb) return 0;
  if (2 * over < kneeDb) return (slope * (over + kneeDb / 2) ** 2) / (2 * kneeDb);
  return slope * over;
}

/** Follows the peaks of a signal: at once or with an attack up, and by its release down. */
export class PeakFollower {
  readonly #attack: number;
  readonly #release: number;
  #held = 0;
  #level = 0;

  constructor(attackMs: number, releaseMs: number, rateHz: number) {
    this.#attack = exp(-1000 / (attackMs * rateHz));
    this.#release = exp(-1000 / (releaseMs * rateHz));
  }

  /** The level after one more sample, linear: the smooth decoupled detector of the same paper. */
  next(sample: number): number {
    const size = abs(sample);
    const held = max(size, this.#release * this.#held + (1 - this.#release) * size);
    this.#held = held < 1e-15 ? 0 : held;
    this.#level = this.#attack * this.#level + (1 - this.#attack) * this.#held;
    if (this.#level < 1e-15) this.#level = 0;
    return this.#level;
  }

  clear(): void {
    this.#held = 0;
    this.#level = 0;
  }

  get state(): readonly number[] {
    return [this.#held, this.#level];
  }

  set state([held, level]: readonly number[]) {
    this.#held = held;
    this.#level = level;
  }
}

export class CompressorRun {
  readonly #settings: Compressor;
  readonly #follower: PeakFollower;
  readonly #makeUp: number;
  #gain: number;
  #goal: number;
  #step = 0;
  /** The most it has brought down since this was last set, in dB, 0 and below. */
  mostReductionDb = 0;

  constructor(settings: Compressor, rateHz: number) {
    this.#settings = settings;
    this.#follower = new PeakFollower(settings.attackMs, settings.releaseMs, rateHz);
    this.#makeUp = 10 ** (settings.makeUpDb / 20);
    this.#gain = this.#makeUp;
    this.#goal = this.#makeUp;
  }

  /**
   * In place; goes on where it stopped.
   * @param other the other side, where there are two: the louder of both counts, and both are brought down alike, so that nothing moves between them
   */
  process(samples: Float64Array, other: Float64Array | null = null): void {
    const { thresholdDb, ratio } = this.#settings;
    if (thresholdDb === null) return;
    for (let n = 0; n < samples.length; n++) {
      const level = this.#follower.next(other ? max(abs(samples[n]), abs(other[n])) : samples[n]);
      if (this.#step === 0) {
        this.#gain = this.#goal;
        const down = reductionDb(20 * log10(level + 1e-10), thresholdDb, ratio);
        if (down < this.mostReductionDb) this.mostReductionDb = down;
        this.#goal = this.#makeUp * 10 ** (down / 20);
      }
      const gain = this.#gain + ((this.#goal - this.#gain) * this.#step) / stride;
      samples[n] *= gain;
      if (other) other[n] *= gain;
      this.#step = (this.#step + 1) % stride;
    }
  }

  clear(): void {
    this.#follower.clear();
    this.#gain = this.#makeUp;
    this.#goal = this.#makeUp;
    this.#step = 0;
  }

  get state(): readonly number[] {
    return [...this.#follower.state, this.#gain, this.#goal, this.#step];
  }

  set state([held, level, gain, goal, step]: readonly number[]) {
    this.#follower.state = [held, level];
    this.#gain = gain;
    this.#goal = goal;
    this.#step = step;
  }
}
