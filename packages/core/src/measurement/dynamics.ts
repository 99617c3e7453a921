import { gainToDb, powerToDb } from '../quantities/units.ts';

const { round, floor, abs, max } = Math;

/** How a side moves in level. A driven or compressed side has less of both. */
export interface Dynamics {
  /** Highest sample over the RMS of what sounds. */
  readonly crestDb: number;
  /** Level of the loud tenth of what sounds over that of its soft tenth: how far it falls. */
  readonly spreadDb: number;
}

/** Levels are taken every 100 ms. What lies 40 dB under the loudest is taken for a gap: common practice. */
const blockSeconds = 0.1;
const gapDb = 40;

/** Crest and spread of one side; null for silence. Stretches under 100 ms are taken as one block. */
export class DynamicsMeter {
  readonly #blockFrames: number;
  readonly #powers: number[] = [];
  #sum = 0;
  #filled = 0;
  #peak = 0;

  constructor(rateHz: number) {
    this.#blockFrames = round(blockSeconds * rateHz);
  }

  process(samples: Float32Array): void {
    for (let at = 0; at < samples.length;) {
      const end = Math.min(samples.length, at + this.#blockFrames - this.#filled);
      let sum = 0;
      let peak = this.#peak;
      for (let n = at; n < end; n++) {
        const value = samples[n];
        sum += value * value;
        const size = abs(value);
        if (size > peak) peak = size;
      }
      this.#peak = peak;
      this.#sum += sum;
      this.#filled += end - at;
      at = end;
      if (this.#filled === this.#blockFrames) {
        this.#powers.push(this.#sum / this.#filled);
        this.#sum = this.#filled = 0;
      }
    }
  }

  dynamics(): Dynamics | null {
    const powers =
      this.#powers.length > 0 ? this.#powers : this.#filled ? [this.#sum / this.#filled] : [];
    const loudest = powers.reduce((most, power) => max(most, power), 0);
    if (!(loudest > 0)) return null;
    const sounding = powers
      .filter((power) => power >= loudest * 10 ** (-gapDb / 10))
      .sort((a, b) => a - b);
    const mean = sounding.reduce((sum, power) => sum + power, 0) / sounding.length;
    const at = (share: number) => sounding[floor(share * (sounding.length - 1))];
    return {
      crestDb: gainToDb(this.#peak) - powerToDb(mean),
      spreadDb: powerToDb(at(0.95) / at(0.1)),
    };
  }
}
