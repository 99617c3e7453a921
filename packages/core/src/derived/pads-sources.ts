import { blockFrames, framesReader, type BlockLoader } from '../sources/blocks.ts';
import { padsReach, tunePads } from '../voices/pads.ts';
import type { MadeSource } from './made-source.ts';

const { ceil, floor, log2, max, min, round } = Math;

/** A source tuned as pads are. */
export type PadsSource = MadeSource & { readonly step: { readonly kind: 'pads' } };

/** So many blocks are made at once: some eleven seconds at every rate, so that phases have the same time to glide. */
export function padsSegment(rateHz: number): number {
  return 2 ** max(1, round(log2((16 * rateHz) / 48_000)));
}

/** So many values of segments are kept, since their blocks are asked for one after the other: 64 MiB. */
const mostKept = 16 * 1_048_576;

/**
 * Sources whose phases go on from window to window: they are made in segments that lie on the song's grid, each from the take alone, so
 * that a block is the same whichever was asked for first.
 */
export class PadsSources {
  readonly #load: BlockLoader;
  readonly #segments = new Map<string, Promise<Float32Array>>();

  constructor(load: BlockLoader) {
    this.#load = load;
  }

  async make(source: PadsSource, index: number): Promise<Float32Array> {
    const blocks = padsSegment(source.rateHz);
    const segment = floor(index / blocks);
    const made = await this.#segment(source, segment, blocks * blockFrames);
    const from = (index - segment * blocks) * blockFrames;
    return made.slice(from, min(from + blockFrames, made.length));
  }

  #segment(source: PadsSource, segment: number, length: number): Promise<Float32Array> {
    const name = `${source.key}/${segment}`;
    let made = this.#segments.get(name);
    if (made) {
      this.#segments.delete(name);
    } else {
      made = this.#tuned(source, segment * length, length);
      made.catch(() => this.#segments.delete(name));
    }
    this.#segments.set(name, made);
    if (this.#segments.size > 1 && this.#segments.size * length > mostKept)
      for (const oldest of this.#segments.keys()) if (this.#segments.delete(oldest)) break;
    return made;
  }

  async #tuned({ from: take, step, rateHz, frames }: PadsSource, from: number, length: number) {
    const grid = from + length;
    // Phases run ahead of a segment, and glide to those of the next at its end, over half as long.
    const before = length / 2;
    const reach = padsReach(rateHz, step.ratio);
    const firstBlock = max(0, floor((from - before - reach) / blockFrames));
    const blocks = ceil(min(frames, grid + reach) / blockFrames);
    const start = firstBlock * blockFrames;
    const input = new Float32Array(min(frames, blocks * blockFrames) - start);
    const read = framesReader(take, this.#load);
    for (let at = start; at < start + input.length; at += blockFrames)
      input.set(await read(at, min(blockFrames, start + input.length - at)), at - start);
    const made = tunePads(input, start, { from, to: grid, before }, step.ratio, rateHz);
    return made.subarray(0, min(frames, grid) - from);
  }
}
