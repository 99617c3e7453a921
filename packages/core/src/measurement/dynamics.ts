import { gainToDb, powerToDb } from '../quantities/units.ts';
import { inPieces, openRoom, transforms } from '../signal/transforms.ts';

const { round, floor, max } = Math;

/** How a side moves in level. A driven or compressed side has less of it. */
export interface Dynamics {
  /** Highest sample over the RMS of what sounds. */
  readonly crestDb: number;
  /** Level of the loud tenth of what sounds over that of its soft tenth: how far it falls. */
  readonly spreadDb: number;
  /** Highest sample over the RMS within 100 ms, the middle one of all that sound: what a squash takes, and a fader does not. */
  readonly briefCrestDb: number;
}

/** Levels are taken every 100 ms. What lies 40 dB under the loudest is taken for a gap: common practice. */
const blockSeconds = 0.1;
const gapDb = 40;

/** Holds such a block at usual rates. */
const pieceFrames = 4864;
const piece = openRoom(pieceFrames / 2);
const sums = openRoom(3);

/**
 * How far the louder moments of one side stand out less than those of the other, as a compressor's do: the ratio of both spreads
 * where one level follows from the other. 1 where both move alike, or each for itself.
 * @returns right against left
 */
export function levelRatio(left: readonly number[], right: readonly number[]): number {
  const loudest = (powers: readonly number[]) =>
    powers.reduce((most, power) => max(most, power), 0);
  const floors = [loudest(left), loudest(right)].map((power) => power * 10 ** (-gapDb / 10));
  const pairs = left.flatMap((power, n) =>
    power > floors[0] && right[n] > floors[1] ? [[powerToDb(power), powerToDb(right[n])]] : [],
  );
  if (pairs.length < fewestPairs) return 1;
  const mean = [0, 1].map((k) => pairs.reduce((sum, pair) => sum + pair[k], 0) / pairs.length);
  const sum = (a: number, b: number) =>
    pairs.reduce((all, pair) => all + (pair[a] - mean[a]) * (pair[b] - mean[b]), 0);
  const [ll, rr, lr] = [sum(0, 0), sum(1, 1), sum(0, 1)];
  const spreadsDb = Math.sqrt(max(ll, rr) / pairs.length);
  if (spreadsDb < leastSpreadDb || !(lr > follows * Math.sqrt(ll * rr))) return 1;
  return Math.sqrt(rr / ll);
}

/** Fewer moments, or ones less unlike, tell no ratio; nor does a level that does not follow the other. */
const fewestPairs = 10;
const leastSpreadDb = 3;
const follows = 0.9;

/** Crest and spread of one side; null for silence. Stretches under 100 ms are taken as one block. */
export class DynamicsMeter {
  readonly #blockFrames: number;
  readonly #powers: number[] = [];
  readonly #swings: number[] = [];
  readonly #peaks: number[] = [];
  #sum = 0;
  #constant = 0;
  #blockPeak = 0;
  #filled = 0;
  #peak = 0;

  constructor(rateHz: number) {
    this.#blockFrames = round(blockSeconds * rateHz);
  }

  process(samples: Float32Array): void {
    for (let at = 0; at < samples.length;) {
      const end = Math.min(samples.length, at + this.#blockFrames - this.#filled);
      inPieces([piece], [samples.subarray(at, end)], () => {
        transforms.squares(piece.at, piece.at, pieceFrames, sums.at);
        this.#sum += sums.values[0];
        this.#constant += transforms.sumOf(piece.at, pieceFrames);
        this.#blockPeak = max(this.#blockPeak, transforms.largest(piece.at, pieceFrames));
      });
      this.#peak = max(this.#peak, this.#blockPeak);
      this.#filled += end - at;
      at = end;
      if (this.#filled === this.#blockFrames) {
        const power = this.#sum / this.#filled;
        this.#powers.push(power);
        this.#swings.push(max(0, power - (this.#constant / this.#filled) ** 2));
        this.#peaks.push(this.#blockPeak);
        this.#sum = this.#constant = this.#filled = this.#blockPeak = 0;
      }
    }
  }

  /** Mean squares of all whole blocks of 100 ms. */
  get powers(): readonly number[] {
    return this.#powers;
  }

  /** The same without what is constant in each: where a side is gone there is nothing else, once the mean of all of it is taken out. */
  get swings(): readonly number[] {
    return this.#swings;
  }

  dynamics(): Dynamics | null {
    const whole = this.#powers.length > 0;
    const powers = whole ? this.#powers : this.#filled ? [this.#sum / this.#filled] : [];
    const peaks = whole ? this.#peaks : [this.#blockPeak];
    const loudest = powers.reduce((most, power) => max(most, power), 0);
    if (!(loudest > 0)) return null;
    const sounding = powers
      .filter((power) => power >= loudest * 10 ** (-gapDb / 10))
      .sort((a, b) => a - b);
    const mean = sounding.reduce((sum, power) => sum + power, 0) / sounding.length;
    const crests = powers
      .flatMap((power, n) =>
        power >= loudest * 10 ** (-gapDb / 10) ? [gainToDb(peaks[n]) - powerToDb(power)] : [],
      )
      .toSorted((a, b) => a - b);
    const at = (share: number) => sounding[floor(share * (sounding.length - 1))];
    return {
      crestDb: gainToDb(this.#peak) - powerToDb(mean),
      spreadDb: powerToDb(at(0.95) / at(0.1)),
      briefCrestDb: crests[crests.length >> 1],
    };
  }
}
