import { fadeTable } from '../signal/fade.ts';
import { addressOf, loops, memory, takeRoom, takeSingles } from '../signal/loops.ts';
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
const most = 3 * quantumFrames + 2 * delayTaps;
const scratch = takeSingles(most);
/** What the other one of two readings has there. */
const beside = takeSingles(quantumFrames);
/** The same as doubles: widened once for each frame read, not once for each tap of each frame made. */
const wide = takeRoom(most + 1);
/** What is read between them, and the weights that it is read by where they stand. */
const made = takeRoom(quantumFrames);
const standing = takeRoom(delayTaps);
const fading = new Float64Array(quantumFrames);
/** How far behind its place a drifting voice is, frame by frame. */
const behind = takeRoom(quantumFrames);
const wander = memory.subarray(behind, behind + quantumFrames);
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
  /** The splice of which the sound was asked last, and what it told. */
  #askedOf = -1;
  #told = 0;
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
    memory.set(weights, standing);
    loops.readStraight(
      addressOf(standing),
      delayTaps,
      scratch.byteOffset,
      addressOf(wide),
      quantumFrames,
      addressOf(made),
    );
    for (let n = 0; n < quantumFrames; n++) output[n] = memory[made + n];
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
        const alike = this.#likeness(store, plan, segment);
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

  /** How alike both readings of a splice are: as planned, or as the sound tells. */
  #likeness(store: BlockStore, plan: SplicePlan, segment: number): number {
    const planned = plan.likeness[segment];
    // Not a number: it is asked of the sound, once a fade.
    if (planned === planned) return planned;
    if (this.#askedOf !== segment) {
      this.#told = this.#ask(store, plan, segment);
      this.#askedOf = segment;
    }
    return this.#told;
  }

  /** How alike the sound is in both places of a splice, while one fades into the other. */
  #ask(store: BlockStore, plan: SplicePlan, segment: number): number {
    const start = plan.starts[segment];
    const drifted = this.#drift ? driftAt(this.#drift, start + this.#whole) : 0;
    const old = floor(this.#origin(start, plan, segment - 1) - drifted);
    const fresh = floor(this.#origin(start, plan, segment) - drifted);
    const fade = this.#fade as Float64Array;
    const frames = floor(plan.crossfadeFrames * plan.ratio);
    let both = 0;
    let ofOld = 0;
    let ofFresh = 0;
    for (let from = 0; from < frames; from += quantumFrames) {
      const count = min(quantumFrames, frames - from);
      store.read(this.#source, old + from, count, scratch);
      store.read(this.#source, fresh + from, count, beside);
      for (let n = 0; n < count; n++) {
        const e = fade[floor((from + n) / plan.ratio)];
        // It counts as much as both are heard there.
        const weight = e * (1 - e);
        both += weight * scratch[n] * beside[n];
        ofOld += weight * scratch[n] * scratch[n];
        ofFresh += weight * beside[n] * beside[n];
      }
    }
    const scale = sqrt(ofOld * ofFresh);
    return both > 0 && scale > 0 ? min(1, both / scale) : 0;
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
    const start = origin - first - movingTaps / 2 + 1;
    loops.readLine(
      movingTable().byteOffset,
      scratch.byteOffset,
      last - first,
      addressOf(wide),
      start,
      ratio,
      drifting ? addressOf(behind) : 0,
      from,
      to,
      addressOf(made),
    );
    for (let n = from; n < to; n++) output[n] = memory[made + n];
  }
}

/** Two taps with the same key read the same. */
export function tapKey(strand: StrandPlan): string {
  return `${strand.source.key}@${strand.delayFrames}~${strand.tuning?.key ?? ''}~${strand.drift?.key ?? ''}`;
}
