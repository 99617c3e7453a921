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
const { floor, round, sqrt, max, min, ceil } = Math;

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
    for (let n = 0; n < quantumFrames; n++) {
      let sum = 0;
      for (let k = 0; k < delayTaps; k++) sum += weights[k] * scratch[n + k];
      output[n] = sum;
    }
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
      const row = round((position - whole) * movingPhases) * movingTaps;
      const at = whole - movingTaps / 2 + 1 - first;
      let sum = 0;
      for (let k = 0; k < movingTaps; k++) sum += table[row + k] * scratch[at + k];
      output[n] = sum;
    }
  }
}

/** Two taps with the same key read the same. */
export function tapKey(voice: VoicePlan): string {
  return `${voice.source.key}@${voice.delayFrames}~${voice.tuning?.key ?? ''}`;
}
