import { fadeTable } from '../signal/fade.ts';
import type { movingPhases } from '../signal/sinc.ts';
import { delayTaps, interpolationWeights, movingTable, movingTaps } from '../signal/sinc.ts';
import type { BlockStore, PcmSource } from '../sources/blocks.ts';
import { driftAt, type DriftPath } from '../voices/drift.ts';
import { segmentAt, type SplicePlan } from '../voices/splices.ts';
import { quantumFrames } from './quantum.ts';
import type { StrandPlan } from './plan.ts';
import { wholeDelay } from './time-map.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { floor, sqrt, max, min } = Math;

/** Frames read in one piece: a quantum at up to double speed, and the interpolator's reach. */
const scratch = new Float32Array(3 * quantumFrames + 2 * delayTaps);
/** The same as doubles: widened once for each frame read, not once for each tap of each frame made. */
const wide = new Float64Array(scratch.length);
/** Where `wide` is read, frame by frame. */
const places = new Float64Array(quantumFrames);
const fading = new Float64Array(quantumFrames);
/** How far behind its place a drifting voice is, frame by frame. */
const wander = new Float64Array(quantumFrames);
/** A drift of 20 ms at 5 Hz moves by less than 0.4 frames a frame. */
const driftSlack = quantumFrames / 2;

/**
 * Reads a voice's source at its delay and tuning: a function of the absolute frame, so that a seek sounds as the export
 * does there.
 */
export class Tap {
  readonly #source: PcmSource;
  readonly #whole: number;
  readonly #fraction: number;
  readonly #weights: Float64Array | null;
  readonly #splices: SplicePlan | null;
  readonly #drift: DriftPath | null;
  readonly #fade: Float64Array | null;
  readonly key: string;

  constructor(strand: StrandPlan) {
    this.key = tapKey(strand);
    this.#source = strand.source;
    this.#whole = wholeDelay(strand.delayFrames);
    this.#fraction = max(0, this.#whole - strand.delayFrames);
    this.#splices = strand.tuning?.splices ?? null;
    this.#drift = strand.drift?.path ?? null;
    const straight = this.#fraction < 1e-9;
    this.#weights =
      this.#splices || this.#drift || straight
        ? null
        : interpolationWeights(this.#fraction, delayTaps);
    this.#fade = this.#splices && fadeTable(this.#splices.crossfadeFrames);
  }

  /** Fills `output` with the quantum that starts at absolute frame `frame`. Allocates nothing. */
  read(store: BlockStore, frame: number, output: Float64Array): void {
    if (this.#drift) this.#follow(this.#drift, frame);
    if (this.#splices) this.#readSpliced(store, frame, this.#splices, output);
    else if (this.#drift)
      this.#readLine(store, frame - this.#whole + this.#fraction, 1, 0, quantumFrames, output);
    else this.#readStraight(store, frame, output);
  }

  /** Where the drift is at each frame of the quantum, as two straight lines: it moves by far less than a sample in 64. */
  #follow(path: DriftPath, frame: number): void {
    const half = quantumFrames / 2;
    for (let part = 0; part < 2; part++) {
      const from = driftAt(path, frame + part * half);
      const step = (driftAt(path, frame + (part + 1) * half) - from) / half;
      for (let n = 0; n < half; n++) wander[part * half + n] = from + step * n;
    }
  }

  #readStraight(store: BlockStore, frame: number, output: Float64Array): void {
    const start = frame - this.#whole;
    const weights = this.#weights;
    if (!weights) {
      store.read(this.#source, start, quantumFrames, scratch);
      for (let n = 0; n < quantumFrames; n++) output[n] = scratch[n];
      return;
    }
    const count = quantumFrames + delayTaps;
    store.read(this.#source, start - delayTaps / 2 + 1, count, scratch);
    widen(count);
    convolve(weights, wide, output);
  }

  #readSpliced(store: BlockStore, frame: number, plan: SplicePlan, output: Float64Array): void {
    const start = frame - this.#whole;
    const fade = this.#fade as Float64Array;
    const length = plan.crossfadeFrames;
    let at = 0;
    let segment = segmentAt(plan, start);
    while (at < quantumFrames) {
      const next =
        segment + 1 < plan.starts.length
          ? min(quantumFrames, plan.starts[segment + 1] - start)
          : quantumFrames;
      this.#readLine(store, this.#origin(start, plan, segment), plan.ratio, at, next, output);
      const faded = segment > 0 ? min(next, plan.starts[segment] + length - start) : at;
      if (faded > at) {
        const before = this.#origin(start, plan, segment - 1);
        this.#readLine(store, before, plan.ratio, at, faded, fading);
        const alike = plan.likeness[segment];
        for (let n = at; n < faded; n++) {
          const e = fade[start + n - plan.starts[segment]];
          const c = 1 - e;
          output[n] = (c * fading[n] + e * output[n]) / sqrt(c * c + e * e + 2 * alike * c * e);
        }
      }
      at = next;
      segment++;
    }
  }

  /** Where a segment's line lies in the source at the beginning of the quantum. */
  #origin(start: number, plan: SplicePlan, segment: number): number {
    return plan.positions[segment] + plan.ratio * (start + this.#fraction - plan.starts[segment]);
  }

  /** Reads along a line, and the drift round it, for the frames `from` up to `to` of the quantum. */
  #readLine(
    store: BlockStore,
    origin: number,
    ratio: number,
    from: number,
    to: number,
    output: Float64Array,
  ): void {
    const drifting = this.#drift !== null;
    // A drift moves the ends of what is read by no more than its own steepness.
    const slack = drifting ? driftSlack : 0;
    const offset = drifting ? wander[from] : 0;
    const first = floor(origin + ratio * from - offset) - movingTaps / 2 + 1 - slack;
    const last = floor(origin + ratio * (to - 1) - offset) + movingTaps / 2 + 2 + slack;
    store.read(this.#source, first, last - first, scratch);
    widen(last - first);
    const start = origin - first - movingTaps / 2 + 1;
    if (drifting) for (let n = from; n < to; n++) places[n] = start + ratio * n - wander[n];
    else for (let n = from; n < to; n++) places[n] = start + ratio * n;
    interpolate(movingTable(), from, to, output);
  }
}

/** What was read, as doubles. */
function widen(count: number): void {
  for (let n = 0; n < count; n++) wide[n] = scratch[n];
}

/**
 * Reads `wide` between its values at `places`, for the frames `from` up to `to`. Written out tap by tap, which the compiler
 * makes twice as fast as a loop of them; in four sums, so that a multiplication need not wait for the one before. (Its
 * numbers stand here, held to what they are by their types: the compiler does not fold what is imported.)
 */
function interpolate(table: Float64Array, from: number, to: number, output: Float64Array): void {
  const phases: typeof movingPhases = 4096;
  const taps: typeof movingTaps = 16;
  for (let n = from; n < to; n++) {
    const place = places[n];
    const at = place | 0;
    // Rounded to the nearest phase; what is cut here is never negative.
    const row = (((place - at) * phases + 0.5) | 0) * taps;
    const a =
      table[row] * wide[at] +
      table[row + 4] * wide[at + 4] +
      table[row + 8] * wide[at + 8] +
      table[row + 12] * wide[at + 12];
    const b =
      table[row + 1] * wide[at + 1] +
      table[row + 5] * wide[at + 5] +
      table[row + 9] * wide[at + 9] +
      table[row + 13] * wide[at + 13];
    const c =
      table[row + 2] * wide[at + 2] +
      table[row + 6] * wide[at + 6] +
      table[row + 10] * wide[at + 10] +
      table[row + 14] * wide[at + 14];
    const d =
      table[row + 3] * wide[at + 3] +
      table[row + 7] * wide[at + 7] +
      table[row + 11] * wide[at + 11] +
      table[row + 15] * wide[at + 15];
    output[n] = a + b + (c + d);
  }
}

/**
 * Four frames at once, tap by tap, the inputs handed on from one to the next: each value and each weight is fetched once for
 * four multiplications. Its bounds stand here as numbers too: with imported ones it runs a third slower.
 */
function convolve(weights: Float64Array, input: Float64Array, output: Float64Array): void {
  const frames: typeof quantumFrames = 128;
  const taps: typeof delayTaps = 32;
  for (let n = 0; n < frames; n += 4) {
    let a = 0;
    let b = 0;
    let c = 0;
    let d = 0;
    let x0 = input[n];
    let x1 = input[n + 1];
    let x2 = input[n + 2];
    for (let k = 0; k < taps; k += 4) {
      const at = n + k;
      const w0 = weights[k];
      const x3 = input[at + 3];
      a += w0 * x0;
      b += w0 * x1;
      c += w0 * x2;
      d += w0 * x3;
      const w1 = weights[k + 1];
      x0 = input[at + 4];
      a += w1 * x1;
      b += w1 * x2;
      c += w1 * x3;
      d += w1 * x0;
      const w2 = weights[k + 2];
      x1 = input[at + 5];
      a += w2 * x2;
      b += w2 * x3;
      c += w2 * x0;
      d += w2 * x1;
      const w3 = weights[k + 3];
      x2 = input[at + 6];
      a += w3 * x3;
      b += w3 * x0;
      c += w3 * x1;
      d += w3 * x2;
    }
    output[n] = a;
    output[n + 1] = b;
    output[n + 2] = c;
    output[n + 3] = d;
  }
}

/** Two taps with the same key read the same. */
export function tapKey(strand: StrandPlan): string {
  return `${strand.source.key}@${strand.delayFrames}~${strand.tuning?.key ?? ''}~${strand.drift?.key ?? ''}`;
}
