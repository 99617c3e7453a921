import { inPieces, openRoom, transforms } from '../signal/transforms.ts';
import { lufs, type Lufs } from '../quantities/units.ts';
import type { BiquadCoefficients } from '../signal/biquad.ts';

/**
 * The K-weighting of ITU-R BS.1770-5 annex 1, tables 1 and 2, for any rate: the analogue prototypes behind the tables'
 * 48 kHz coefficients, transformed bilinearly (prototype values as in De Man, "Evaluation of implementations of the
 * EBU R128 loudness measurement", AES 2018).
 */
export function kWeighting(rateHz: number): readonly [BiquadCoefficients, BiquadCoefficients] {
  return [highShelf(rateHz), highPass(rateHz)];
}

function highShelf(rateHz: number): BiquadCoefficients {
  const q = 0.7071752369554196;
  const k = Math.tan((Math.PI * 1681.974450955533) / rateHz);
  const high = 10 ** (3.999843853973347 / 20);
  const band = high ** 0.4996667741545416;
  const a0 = 1 + k / q + k * k;
  return {
    b0: (high + (band * k) / q + k * k) / a0,
    b1: (2 * (k * k - high)) / a0,
    b2: (high - (band * k) / q + k * k) / a0,
    a1: (2 * (k * k - 1)) / a0,
    a2: (1 - k / q + k * k) / a0,
  };
}

function highPass(rateHz: number): BiquadCoefficients {
  const q = 0.5003270373238773;
  const k = Math.tan((Math.PI * 38.13547087602444) / rateHz);
  const a0 = 1 + k / q + k * k;
  return { b0: 1, b1: -2, b2: 1, a1: (2 * (k * k - 1)) / a0, a2: (1 - k / q + k * k) / a0 };
}

/** Loudness of a mean square: −0.691 makes a 997 Hz full-scale sine in one channel −3.01 LKFS (BS.1770-5). */
export function meanSquareToLufs(meanSquare: number): Lufs {
  return lufs(-0.691 + 10 * Math.log10(meanSquare));
}

function lufsToMeanSquare(loudness: number): number {
  return 10 ** ((loudness + 0.691) / 10);
}

/** Steps of 100 ms; a gating block is four of them (400 ms, overlapping by 75 %), short term is thirty. */
const stepsPerBlock = 4;
const stepsPerShortTerm = 30;

/** Loudness of what was weighted, from its sums of squares over steps of 100 ms. */
export class Loudness {
  readonly #stepFrames: number;
  /** One entry for each whole 100 ms. */
  readonly #steps: number[] = [];
  #filled = 0;
  #sum = 0;

  constructor(rateHz: number) {
    this.#stepFrames = Math.round(rateHz / 10);
  }

  /** So many frames are left of the step that is being filled. */
  get room(): number {
    return this.#stepFrames - this.#filled;
  }

  /** @param sum of the squares of all channels over so many frames, not more than there is room for */
  add(sum: number, frames: number): void {
    this.#sum += sum;
    this.#filled += frames;
    if (this.#filled < this.#stepFrames) return;
    this.#steps.push(this.#sum);
    this.#sum = 0;
    this.#filled = 0;
  }

  #shortBlock(): Float64Array {
    const count = this.#steps.length * this.#stepFrames + this.#filled;
    const sum = this.#steps.reduce((whole, step) => whole + step, this.#sum);
    return Float64Array.of(count > 0 ? sum / count : 0);
  }

  /** Mean squares of all windows of so many steps, in order. */
  #windows(steps: number): Float64Array {
    const count = Math.max(0, this.#steps.length - steps + 1);
    const means = new Float64Array(count);
    for (let n = 0; n < count; n++) {
      let sum = 0;
      for (let k = 0; k < steps; k++) sum += this.#steps[n + k];
      means[n] = sum / (steps * this.#stepFrames);
    }
    return means;
  }

  /**
   * Gated at −70 LUFS and 10 LU under the absolutely gated mean. −Infinity if nothing passes. What is shorter than a gating block
   * is taken as one block of its own length: BS.1770 tells nothing of it.
   */
  integrated(): Lufs {
    const blocks =
      this.#steps.length < stepsPerBlock ? this.#shortBlock() : this.#windows(stepsPerBlock);
    const absolute = lufsToMeanSquare(-70);
    const ungated = meanAbove(blocks, absolute);
    const relative = ungated / 10;
    return meanSquareToLufs(meanAbove(blocks, Math.max(absolute, relative)));
  }

  /**
   * Loudness range in LU: from the 10th to the 95th percentile of the short-term loudness, gated at −70 LUFS and 20 LU under
   * the absolutely gated mean. 0 where less than 3 s sound.
   * Source: EBU Tech 3342 (percentiles by the nearest rank, as its reference implementation takes them; from memory).
   */
  range(): number {
    const windows = this.#windows(stepsPerShortTerm);
    const absolute = lufsToMeanSquare(-70);
    const threshold = Math.max(absolute, meanAbove(windows, absolute) / 100);
    const kept = windows.filter((value) => value > threshold).sort();
    if (kept.length === 0) return 0;
    const at = (share: number) => kept[Math.round(share * (kept.length - 1))];
    return 10 * Math.log10(at(0.95) / at(0.1));
  }

  /** Every 100 ms, from the first 400 ms on. */
  momentary(): Lufs[] {
    return Array.from(this.#windows(stepsPerBlock), meanSquareToLufs);
  }

  /** Every 100 ms, from the first 3 s on. */
  shortTerm(): Lufs[] {
    return Array.from(this.#windows(stepsPerShortTerm), meanSquareToLufs);
  }
}

/**
 * Loudness of one or two front channels (weight 1), fed in pieces of any size.
 * Source: ITU-R BS.1770-5 annex 1; momentary (400 ms) and short-term (3 s) windows of EBU Tech 3341.
 */
export class LoudnessMeter extends Loudness {
  readonly #shelf: BiquadCoefficients;
  readonly #pass: BiquadCoefficients;
  readonly #states: readonly Float64Array[];

  constructor(rateHz: number, channels: number) {
    super(rateHz);
    [this.#shelf, this.#pass] = kWeighting(rateHz);
    this.#states = Array.from({ length: channels }, () => new Float64Array(4));
  }

  /** @param channels full scale ±1, as many as the meter was made for */
  process(channels: readonly ArrayLike<number>[], count: number): void {
    for (let at = 0; at < count;) {
      const run = Math.min(count - at, this.room);
      let sum = 0;
      for (let channel = 0; channel < this.#states.length; channel++)
        sum += this.#weigh(channels[channel], at, run, this.#states[channel]);
      this.add(sum, run);
      at += run;
    }
  }

  /** Both sections in one loop: the sum of squares of `run` weighted values. */
  #weigh(input: ArrayLike<number>, from: number, run: number, state: Float64Array): number {
    const { b0, b1, b2, a1, a2 } = this.#shelf;
    const { a1: c1, a2: c2 } = this.#pass;
    let [s0, s1, s2, s3] = state;
    let sum = 0;
    for (let n = from; n < from + run; n++) {
      const x = input[n];
      const y = b0 * x + s0;
      s0 = b1 * x - a1 * y + s1;
      s1 = b2 * x - a2 * y;
      const z = y + s2;
      s2 = -2 * y - c1 * z + s3;
      s3 = y - c2 * z;
      sum += z * z;
    }
    keep(state, 0, s0, s1, s2, s3);
    return sum;
  }
}

/** States of a filter to go on from; what is too small to matter is let go of. */
function keep(state: Float64Array, at: number, ...values: readonly number[]): void {
  for (let k = 0; k < values.length; k++)
    state[at + k] = Math.abs(values[k]) < 1e-25 ? 0 : values[k];
}

const stretchFrames = 8192;
const pieces = [openRoom(stretchFrames / 2), openRoom(stretchFrames / 2)];
const factors = openRoom(7);
const state = openRoom(8);
const sums = openRoom(2);

/**
 * Loudness of two sides and of their fold, of one weighting: that of a sum is the sum of both. The fold counts as one channel that
 * is as loud as (L+R)/2 on both sides.
 */
export class FoldLoudnessMeter {
  readonly sides: Loudness;
  readonly fold: Loudness;
  readonly #factors: Float64Array;
  readonly #state = new Float64Array(8);

  constructor(rateHz: number) {
    this.sides = new Loudness(rateHz);
    this.fold = new Loudness(rateHz);
    const [{ b0, b1, b2, a1, a2 }, pass] = kWeighting(rateHz);
    this.#factors = Float64Array.of(b0, b1, b2, a1, a2, pass.a1, pass.a2);
  }

  /** @param left,right equally long, full scale ±1 */
  process(left: Float32Array, right: Float32Array): void {
    factors.values.set(this.#factors);
    state.values.set(this.#state);
    inPieces(pieces, [left, right], (count) => {
      for (let at = 0; at < count;) {
        const run = Math.min(count - at, this.sides.room);
        const [l, r] = pieces.map((piece) => piece.at + 4 * at);
        transforms.weigh(factors.at, state.at, l, r, run, sums.at);
        const [sides, fold] = sums.values;
        this.sides.add(sides, run);
        this.fold.add(fold / 2, run);
        at += run;
      }
    });
    this.#state.set(state.values);
  }
}

function meanAbove(values: Float64Array, threshold: number): number {
  let sum = 0;
  let count = 0;
  for (const value of values)
    if (value > threshold) {
      sum += value;
      count++;
    }
  return count ? sum / count : 0;
}

/** Integrated loudness of whole channels. */
export function integratedLoudness(channels: readonly ArrayLike<number>[], rateHz: number): Lufs {
  const meter = new LoudnessMeter(rateHz, channels.length);
  meter.process(channels, channels[0].length);
  return meter.integrated();
}
