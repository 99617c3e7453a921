import { fadeTable } from '../signal/fade.ts';
import {
  delayTaps,
  interpolationWeights,
  movingPhases,
  movingTable,
  movingTaps,
} from '../signal/sinc.ts';
import type { BlockStore, PcmSource } from '../sources/blocks.ts';
import { segmentAt, type SplicePlan } from '../voices/splices.ts';
import { quantumFrames } from './quantum.ts';
import type { VoicePlan } from './plan.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { floor, sqrt, max, min, ceil } = Math;

/** Frames read in one piece: a quantum at up to double speed, and the interpolator's reach. */
const scratch = new Float32Array(2 * quantumFrames + 2 * delayTaps);
const fading = new Float64Array(quantumFrames);

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
  readonly #fade: Float64Array | null;
  readonly key: string;

  constructor(voice: VoicePlan) {
    this.key = tapKey(voice);
    this.#source = voice.source;
    // The reading lies `delayFrames` behind: `whole` frames back and `fraction` forward again.
    this.#whole = ceil(voice.delayFrames - 1e-9);
    this.#fraction = max(0, this.#whole - voice.delayFrames);
    this.#splices = voice.tuning?.splices ?? null;
    const straight = this.#fraction < 1e-9;
    this.#weights =
      this.#splices || straight ? null : interpolationWeights(this.#fraction, delayTaps);
    this.#fade = this.#splices && fadeTable(this.#splices.crossfadeFrames);
  }

  /** Fills `output` with the quantum that starts at absolute frame `frame`. Allocates nothing. */
  read(store: BlockStore, frame: number, output: Float64Array): void {
    if (this.#splices) this.#readSpliced(store, frame, this.#splices, output);
    else this.#readStraight(store, frame, output);
  }

  #readStraight(store: BlockStore, frame: number, output: Float64Array): void {
    const start = frame - this.#whole;
    const weights = this.#weights;
    if (!weights) {
      store.read(this.#source, start, quantumFrames, scratch);
      for (let n = 0; n < quantumFrames; n++) output[n] = scratch[n];
      return;
    }
    store.read(this.#source, start - delayTaps / 2 + 1, quantumFrames + delayTaps, scratch);
    convolve(weights, scratch, output);
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
      this.#readLine(store, start, plan, segment, at, next, output);
      const faded = segment > 0 ? min(next, plan.starts[segment] + length - start) : at;
      if (faded > at) {
        this.#readLine(store, start, plan, segment - 1, at, faded, fading);
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

  /** Reads along one segment's line for the frames `from` up to `to` of the quantum. */
  #readLine(
    store: BlockStore,
    start: number,
    plan: SplicePlan,
    segment: number,
    from: number,
    to: number,
    output: Float64Array,
  ): void {
    const ratio = plan.ratio;
    const origin =
      plan.positions[segment] + ratio * (start + this.#fraction - plan.starts[segment]);
    const table = movingTable();
    const first = floor(origin + ratio * from) - movingTaps / 2 + 1;
    const last = floor(origin + ratio * (to - 1)) + movingTaps / 2 + 2;
    store.read(this.#source, first, last - first, scratch);
    for (let n = from; n < to; n++) {
      const position = origin + ratio * n;
      const whole = floor(position);
      // Rounded to the nearest phase; what is cut here is never negative.
      const row = (((position - whole) * movingPhases + 0.5) | 0) * movingTaps;
      const at = whole - movingTaps / 2 + 1 - first;
      let a = 0;
      let b = 0;
      let c = 0;
      let d = 0;
      // Four sums at a time, so that a multiplication need not wait for the one before.
      for (let k = 0; k < movingTaps; k += 4) {
        a += table[row + k] * scratch[at + k];
        b += table[row + k + 1] * scratch[at + k + 1];
        c += table[row + k + 2] * scratch[at + k + 2];
        d += table[row + k + 3] * scratch[at + k + 3];
      }
      output[n] = a + b + (c + d);
    }
  }
}

/**
 * Eight taps in one pass over the quantum, their inputs handed on from frame to frame: one value is fetched for eight
 * multiplications. `weights` has a multiple of eight entries.
 */
function convolve(weights: Float64Array, input: Float32Array, output: Float64Array): void {
  output.fill(0);
  for (let k = 0; k < weights.length; k += 8) {
    const w0 = weights[k];
    const w1 = weights[k + 1];
    const w2 = weights[k + 2];
    const w3 = weights[k + 3];
    const w4 = weights[k + 4];
    const w5 = weights[k + 5];
    const w6 = weights[k + 6];
    const w7 = weights[k + 7];
    let x0 = input[k];
    let x1 = input[k + 1];
    let x2 = input[k + 2];
    let x3 = input[k + 3];
    let x4 = input[k + 4];
    let x5 = input[k + 5];
    let x6 = input[k + 6];
    for (let n = 0; n < quantumFrames; n++) {
      const x7 = input[n + k + 7];
      const first = w0 * x0 + w1 * x1 + (w2 * x2 + w3 * x3);
      output[n] += first + (w4 * x4 + w5 * x5 + (w6 * x6 + w7 * x7));
      x0 = x1;
      x1 = x2;
      x2 = x3;
      x3 = x4;
      x4 = x5;
      x5 = x6;
      x6 = x7;
    }
  }
}

/** Two taps with the same key read the same. */
export function tapKey(voice: VoicePlan): string {
  return `${voice.source.key}@${voice.delayFrames}~${voice.tuning?.key ?? ''}`;
}
