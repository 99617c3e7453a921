import {
  blockFrames,
  blockLength,
  briefBlockFrames,
  framesReader,
  type BlockLoader,
} from '../sources/blocks.ts';
import { VocoderTuner, vocoderWindow, type VocodedStretch } from '../voices/vocoder-tuner.ts';
import { isBrief, type VocodedSource } from './made-source.ts';

const { floor, log2, max, min, round } = Math;

/** So many frames are made at once: some eleven seconds at every rate, so that phases have the same time to glide. */
export function vocodedSegment(rateHz: number): number {
  return blockFrames * 2 ** max(1, round(log2((16 * rateHz) / 48_000)));
}

/** Segments of what begins anew are as much shorter: wherever it is asked for, the beginning of one is near. */
const anewShorter = 8;

/** The segment that a block of a source lies in. */
function stretchOf({ step, rateHz }: VocodedSource, start: number): VocodedStretch {
  const { anewAt, as } = step;
  const usual = vocodedSegment(rateHz);
  const length = anewAt === undefined ? usual : usual / anewShorter;
  const origin = (anewAt ?? 0) * briefBlockFrames;
  const from = origin + floor((start - origin) / length) * length;
  // Phases run ahead of a segment, and glide to those of the next at its end, over half as long.
  const exported = vocoderWindow(as, rateHz);
  if (anewAt === undefined)
    return { from, to: from + length, before: length / 2, window: exported };
  // Anew, only until all windows are there; long ones are half as long, so that they are there in half of the time.
  const window = as === 'pads' ? exported / 2 : exported;
  return { from, to: from + length, before: window / 2, window };
}

/** So many values of segments are kept, since their blocks are asked for one after the other: 64 MiB. */
const mostKept = 16 * 1_048_576;

/**
 * Between two pieces of what takes long: lets others do something. Where it throws, making ends there, and goes on from there when it is asked for
 * again.
 */
export type Rest = () => Promise<void>;

const goOn: Rest = () => Promise.resolve();

/** Between two rests, some milliseconds: transforms back, of four windows each. */
const transformsAtOnce = 4;

/**
 * Sources whose phases go on from window to window: they are made in segments that lie on the song's grid, each from the take alone, so
 * that a block is the same whichever was asked for first. A segment is made as far as it is asked for.
 */
export class VocodedSources {
  readonly #load: BlockLoader;
  readonly #rest: Rest;
  /** In the order of last use. */
  readonly #segments = new Map<string, Segment>();
  /** Values in them. */
  #kept = 0;

  constructor(load: BlockLoader, rest: Rest = goOn) {
    this.#load = load;
    this.#rest = rest;
  }

  async make(source: VocodedSource, index: number): Promise<Float32Array> {
    const length = blockLength(source);
    const stretch = stretchOf(source, index * length);
    const segment = this.#segment(source, stretch);
    return segment.read(index * length - stretch.from, length);
  }

  #segment(source: VocodedSource, stretch: VocodedStretch): Segment {
    const name = `${source.key}/${stretch.from}`;
    let segment = this.#segments.get(name);
    if (segment) {
      this.#segments.delete(name);
    } else {
      // What is wanted at once is soon made.
      const rest = isBrief(source) ? goOn : this.#rest;
      segment = new Segment(this.#load, source, stretch, rest);
      this.#kept += segment.length;
    }
    this.#segments.set(name, segment);
    for (const [oldest, { length }] of this.#segments) {
      if (this.#kept <= mostKept || this.#segments.size === 1) break;
      this.#segments.delete(oldest);
      this.#kept -= length;
    }
    return segment;
  }
}

/** Some seconds of a source, made from their beginning on. */
class Segment {
  readonly #out: Float32Array;
  readonly #source: VocodedSource;
  readonly #load: BlockLoader;
  readonly #rest: Rest;
  /** None when all of it is made. */
  #tuner: VocoderTuner | null;
  /** One piece after the other, whoever asks. */
  #going: Promise<unknown> = Promise.resolve();

  constructor(load: BlockLoader, source: VocodedSource, stretch: VocodedStretch, rest: Rest) {
    this.#out = new Float32Array(min(source.frames, stretch.to) - stretch.from);
    this.#source = source;
    this.#load = load;
    this.#rest = rest;
    this.#tuner = new VocoderTuner(stretch, source.step.ratio);
  }

  get length(): number {
    return this.#out.length;
  }

  /** So many frames from one on, as far as there are any. */
  read(from: number, count: number): Promise<Float32Array> {
    const to = min(this.#out.length, from + count);
    const done = this.#going.then(async () => {
      await this.#makeUpTo(to);
      return this.#out.slice(from, to);
    });
    // What could not be had is tried again with the next block.
    this.#going = done.catch(() => {});
    return done;
  }

  async #makeUpTo(count: number): Promise<void> {
    const tuner = this.#tuner;
    if (!tuner || tuner.made >= count) return;
    const { from: take, frames } = this.#source;
    const start = max(0, tuner.readsFrom);
    const end = min(frames, tuner.needs(count));
    const input = await framesReader(take, this.#load)(start, max(0, end - start));
    while (!tuner.make(count, input, start, this.#out, transformsAtOnce)) await this.#rest();
    if (tuner.made >= this.#out.length) this.#tuner = null;
  }
}
