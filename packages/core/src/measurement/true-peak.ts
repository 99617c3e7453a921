import { gainToDb, type Db } from '../quantities/units.ts';
import { interpolationWeights } from '../signal/sinc.ts';

const { abs, ceil, max, min } = Math;

const taps = 16;
/** Values looked at in one piece: short enough that quiet stretches are skipped between peaks. */
const pieceFrames = 32;

/**
 * The highest value of the waveform between the samples, by oversampling with a polyphase filter: four times below
 * 88.2 kHz, twice above.
 * Source: ITU-R BS.1770-5 annex 2 (its 48-tap filter is an example; this one has 16 taps a phase).
 */
export class TruePeakMeter {
  /** Of the phases ¼ and ¾, which mirror each other, tap by tap from the ends to the middle: sum and difference. */
  readonly #sum = new Float64Array(taps / 2);
  readonly #difference = new Float64Array(taps / 2);
  /** Of the phase ½, which mirrors itself. */
  readonly #middle: Float64Array;
  /** No interpolated value can exceed the nearer of its neighbours times the one, plus the largest sample under the filter times the other. */
  readonly #nearWeight: number;
  readonly #farWeight: number;
  readonly #tails: readonly Float32Array[];
  #samplePeak = 0;
  #truePeak = 0;

  constructor(rateHz: number, channels: number) {
    const half = interpolationWeights(0.5, taps);
    // At high rates the point between two samples is enough; its filter stands in for all three.
    const quarter = rateHz < 88_200 ? interpolationWeights(0.25, taps) : half;
    for (let k = 0; k < taps / 2; k++) {
      this.#sum[k] = quarter[k] + quarter[taps - 1 - k];
      this.#difference[k] = quarter[k] - quarter[taps - 1 - k];
    }
    this.#middle = half.subarray(0, taps / 2);
    const near = (weights: Float64Array) => abs(weights[taps / 2 - 1]) + abs(weights[taps / 2]);
    const whole = (weights: Float64Array) => weights.reduce((s, w) => s + abs(w), 0);
    this.#nearWeight = max(near(quarter), near(half));
    this.#farWeight = max(whole(quarter) - near(quarter), whole(half) - near(half));
    this.#tails = Array.from({ length: channels }, () => new Float32Array(taps - 1));
  }

  process(channels: readonly Float32Array[], count: number): void {
    for (const [channel, tail] of this.#tails.entries()) {
      const joined = new Float32Array(tail.length + count);
      joined.set(tail);
      joined.set(channels[channel].subarray(0, count), tail.length);
      this.#scan(joined, count);
      tail.set(joined.subarray(joined.length - tail.length));
    }
  }

  #scan(joined: Float32Array, count: number): void {
    // The peak of the samples under a piece's filters: its own, and those of as many pieces before as the taps reach.
    const reach = ceil((taps - 1) / pieceFrames);
    const pieces = ceil(joined.length / pieceFrames);
    const peaks = new Float64Array(pieces);
    for (let piece = 0; piece < pieces; piece++) {
      let peak = 0;
      const end = min(joined.length, (piece + 1) * pieceFrames);
      for (let n = piece * pieceFrames; n < end; n++) {
        const value = abs(joined[n]);
        if (value > peak) peak = value;
      }
      peaks[piece] = peak;
      if (peak > this.#samplePeak) this.#samplePeak = peak;
    }
    for (let piece = 0; piece < pieces; piece++) {
      let under = peaks[piece];
      for (let k = 1; k <= reach; k++)
        if (piece + k < pieces && peaks[piece + k] > under) under = peaks[piece + k];
      if (under * (this.#nearWeight + this.#farWeight) <= this.#truePeak) continue;
      const from = piece * pieceFrames;
      this.#interpolate(joined, from, min(count, from + pieceFrames), under);
    }
  }

  /** @param under the largest sample under all filters of the stretch */
  #interpolate(joined: Float32Array, from: number, to: number, under: number): void {
    const sum = this.#sum;
    const difference = this.#difference;
    const middle = this.#middle;
    let peak = this.#truePeak;
    // What the samples farther away can add at most.
    const far = under * this.#farWeight;
    const nearWeight = this.#nearWeight;
    for (let n = from; n < to; n++) {
      const before = abs(joined[n + taps / 2 - 1]);
      const after = abs(joined[n + taps / 2]);
      if ((before > after ? before : after) * nearWeight + far <= peak) continue;
      let both = 0;
      let apart = 0;
      let half = 0;
      for (let k = 0; k < taps / 2; k++) {
        const early = joined[n + k];
        const late = joined[n + taps - 1 - k];
        const added = early + late;
        both += sum[k] * added;
        half += middle[k] * added;
        apart += difference[k] * (early - late);
      }
      // The first and the last phase mirror each other: their sum and their difference were read.
      const outer = (abs(both) + abs(apart)) / 2;
      half = abs(half);
      if (outer > peak) peak = outer;
      if (half > peak) peak = half;
    }
    this.#truePeak = peak;
  }

  samplePeakDbfs(): Db {
    return gainToDb(this.#samplePeak);
  }

  truePeakDbtp(): Db {
    return gainToDb(max(this.#samplePeak, this.#truePeak));
  }
}
