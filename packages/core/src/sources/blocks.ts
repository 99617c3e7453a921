/**
 * PCM in blocks: how sources of any length are read in bounded memory.
 *
 * A source is one channel of one recording at the song's rate. Whoever plays or renders first sees to it that the blocks
 * around the place at work are there (`ensureBlocks`, asynchronous), then reads from them (`read`, synchronous,
 * no allocation).
 */
export const blockFrames = 32_768;

export interface PcmSource {
  /** Stable: content hash and channel. */
  readonly key: string;
  readonly frames: number;
}

/** One channel, counted from 0, of a recording. */
export function channelSource(
  { hash, frames }: { readonly hash: string; readonly frames: number },
  channel: number,
): PcmSource {
  return { key: `${hash}:${channel}`, frames };
}

/** Fetches block `index` of a source: `blockFrames` floats, fewer at the end of the source. */
export type BlockLoader = (source: PcmSource, index: number) => Promise<Float32Array>;

/** `count` frames from `start`, silence outside. */
export type ReadFrames = (start: number, count: number) => Promise<Float32Array>;

export class BlockStore {
  readonly #blocks = new Map<string, Map<number, Float32Array>>();
  /** Frames that were asked for inside a source and were not there. */
  missingFrames = 0;

  put(key: string, index: number, block: Float32Array): void {
    let blocks = this.#blocks.get(key);
    if (!blocks) this.#blocks.set(key, (blocks = new Map<number, Float32Array>()));
    blocks.set(index, block);
  }

  has(key: string, index: number): boolean {
    return this.#blocks.get(key)?.has(index) ?? false;
  }

  /** Drops all blocks for which `keep` is false. */
  retain(keep: (key: string, index: number) => boolean): void {
    for (const [key, blocks] of this.#blocks) {
      for (const index of blocks.keys()) if (!keep(key, index)) blocks.delete(index);
      if (blocks.size === 0) this.#blocks.delete(key);
    }
  }

  /** In bytes. */
  get size(): number {
    let bytes = 0;
    for (const blocks of this.#blocks.values())
      for (const block of blocks.values()) bytes += block.byteLength;
    return bytes;
  }

  /**
   * Fills `target` with `count` frames from `start` (which may be negative). Outside the source is silence; so are
   * blocks that are not there, which are counted. Allocates nothing.
   */
  read(source: PcmSource, start: number, count: number, target: Float32Array): void {
    const blocks = this.#blocks.get(source.key);
    let at = 0;
    while (at < count) {
      const frame = start + at;
      if (frame < 0) {
        const gap = Math.min(count - at, -frame);
        target.fill(0, at, at + gap);
        at += gap;
        continue;
      }
      if (frame >= source.frames) {
        target.fill(0, at, count);
        return;
      }
      const index = Math.floor(frame / blockFrames);
      const inside = frame - index * blockFrames;
      const run = Math.min(count - at, blockFrames - inside, source.frames - frame);
      const block = blocks?.get(index);
      if (block) {
        for (let n = 0; n < run; n++) target[at + n] = block[inside + n];
      } else {
        target.fill(0, at, at + run);
        this.missingFrames += run;
      }
      at += run;
    }
  }
}

/** Which blocks of a source hold the frames from `from` up to `to`. */
export function blockRange(source: PcmSource, from: number, to: number): readonly [number, number] {
  const last = Math.ceil(source.frames / blockFrames) - 1;
  return [
    Math.max(0, Math.floor(from / blockFrames)),
    Math.min(last, Math.floor((to - 1) / blockFrames)),
  ];
}

/** Sees to it that the frames from `from` up to `to` of all sources are in the store. */
export async function ensureBlocks(
  store: BlockStore,
  load: BlockLoader,
  sources: readonly PcmSource[],
  from: number,
  to: number,
): Promise<void> {
  const waits: Promise<void>[] = [];
  for (const source of sources) {
    const [first, last] = blockRange(source, from, to);
    for (let index = first; index <= last; index++)
      if (!store.has(source.key, index))
        waits.push(load(source, index).then((block) => store.put(source.key, index, block)));
  }
  await Promise.all(waits);
}

/** Reads stretches of a source out of blocks; the last few are kept. */
export function framesReader(source: PcmSource, load: BlockLoader): ReadFrames {
  const kept = new Map<number, Promise<Float32Array>>();
  const block = (index: number) => {
    const known = kept.get(index) ?? load(source, index);
    kept.delete(index);
    kept.set(index, known);
    if (kept.size > mostKeptBlocks)
      for (const oldest of kept.keys()) if (kept.delete(oldest)) break;
    return known;
  };
  const last = Math.ceil(source.frames / blockFrames) - 1;
  return async (start, count) => {
    const out = new Float32Array(count);
    const first = Math.max(0, Math.floor(start / blockFrames));
    const end = Math.min(last, Math.floor((start + count - 1) / blockFrames));
    // Together, so that they travel together.
    const blocks = await Promise.all(
      Array.from({ length: Math.max(0, end - first + 1) }, (_, n) => block(first + n)),
    );
    for (const [n, samples] of blocks.entries()) {
      const at = (first + n) * blockFrames - start;
      const skip = Math.max(0, -at);
      const room = count - Math.max(0, at);
      if (skip < samples.length && room > 0)
        out.set(samples.subarray(skip, Math.min(samples.length, skip + room)), Math.max(0, at));
    }
    return out;
  };
}

const mostKeptBlocks = 24;
