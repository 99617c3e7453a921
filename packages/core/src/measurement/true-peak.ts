import { gainToDb, type Db } from '../quantities/units.ts';
import { interpolationWeights } from '../signal/sinc.ts';

const taps = 16;
/** Values looked at in one piece: short enough that quiet stretches are skipped between peaks. */
const pieceFrames = 32;

/**
 * The highest value of the waveform between the samples, by oversampling with a polyphase filter: four times below
 * 88.2 kHz, twice above.
 * Source: ITU-R BS.1770-5 annex 2 (its 48-tap filter is an example; this one has 16 taps a phase).
 */
export class TruePeakMeter {
  readonly #phases: readonly Float64Array[];
  /** No interpolated value can exceed the largest sample under the filter times this. */
  readonly #bound: number;
  readonly #tails: readonly Float32Array[];
  #samplePeak = 0;
  #truePeak = 0;

  constructor(rateHz: number, channels: number) {
    // At high rates the point between two samples is enough; its filter stands in for all three.
    const fractions = rateHz < 88_200 ? [0.25, 0.5, 0.75] : [0.5, 0.5, 0.5];
    this.#phases = fractions.map((fraction) => interpolationWeights(fraction, taps));
    const absoluteSum = (weights: Float64Array) => weights.reduce((s, w) => s + Math.abs(w), 0);
    this.#bound = Math.max(...this.#phases.map(absoluteSum));
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
    const reach = Math.ceil((taps - 1) / pieceFrames);
    const pieces = Math.ceil(joined.length / pieceFrames);
    const peaks = new Float64Array(pieces);
    for (let piece = 0; piece < pieces; piece++) {
      let peak = 0;
      const end = Math.min(joined.length, (piece + 1) * pieceFrames);
      for (let n = piece * pieceFrames; n < end; n++) {
        const value = joined[n];
        if (value > peak) peak = value;
        else if (-value > peak) peak = -value;
      }
      peaks[piece] = peak;
      if (peak > this.#samplePeak) this.#samplePeak = peak;
    }
    for (let piece = 0; piece < pieces; piece++) {
      let under = peaks[piece];
      for (let k = 1; k <= reach; k++)
        if (piece + k < pieces && peaks[piece + k] > under) under = peaks[piece + k];
      if (under * this.#bound <= this.#truePeak) continue;
      const from = piece * pieceFrames;
      this.#interpolate(joined, from, Math.min(count, from + pieceFrames));
    }
  }

  #interpolate(joined: Float32Array, from: number, to: number): void {
    const [quarter, half, threeQuarters] = this.#phases;
    let highest = this.#truePeak;
    let lowest = -highest;
    for (let n = from; n < to; n++) {
      let a = 0;
      let b = 0;
      let c = 0;
      for (let k = 0; k < taps; k++) {
        const value = joined[n + k];
        a += quarter[k] * value;
        b += half[k] * value;
        c += threeQuarters[k] * value;
      }
      if (a > highest) highest = a;
      else if (a < lowest) lowest = a;
      if (b > highest) highest = b;
      else if (b < lowest) lowest = b;
      if (c > highest) highest = c;
      else if (c < lowest) lowest = c;
    }
    this.#truePeak = Math.max(highest, -lowest);
  }

  samplePeakDbfs(): Db {
    return gainToDb(this.#samplePeak);
  }

  truePeakDbtp(): Db {
    return gainToDb(Math.max(this.#samplePeak, this.#truePeak));
  }
}
