/**
 * PCM in blocks: how sources of any length are read in bounded memory.
 *
 * A source is one channel of one recording at the song's rate. Whoever plays or renders first sees to it that the blocks
 * around the place at work are there (`ensureBlocks`, asynchronous), then reads from them (`read`, synchronous,
 * no allocation).
 */
export const blockFrames = 32_768;
/** What is dear to make and turned while it plays comes in blocks of a quarter of that, so that it is heard soon. */
export const shortBlockFrames = 8192;
/** What is to be heard at once, and for a moment only, comes in even shorter ones: it begins as near to the playhead as one of them is long. */
export const briefBlockFrames = 2048;

export interface PcmSource {
  /** Stable: content hash and channel. */
  readonly key: string;
  readonly frames: number;
  /** How long its blocks are, where that is not the usual: a part of it. */
  readonly block?: number;
}

/** How many frames each block of a source has, but its last. */
export const blockLength = ({ block = blockFrames }: PcmSource): number => block;

/** One channel, counted from 0, of a recording. */
export function channelSource(
  { hash, frames }: { readonly hash: string; readonly frames: number },
  channel: number,
): PcmSource {
  return { key: `${hash}:${channel}`, frames };
}

/** Fetches block `index` of a source: `blockLength` floats, fewer at the end of the source. */
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

  /** Drops the blocks of sources that end at `frame` or before it. */
  dropBefore(sources: readonly PcmSource[], frame: number): void {
    for (const source of sources) {
      const blocks = this.#blocks.get(source.key);
      for (const index of blocks?.keys() ?? [])
        if ((index + 1) * blockLength(source) <= frame) blocks?.delete(index);
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
    const length = source.block ?? blockFrames;
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
      const index = Math.floor(frame / length);
      const inside = frame - index * length;
      const run = Math.min(count - at, length - inside, source.frames - frame);
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
  const length = blockLength(source);
  const last = Math.ceil(source.frames / length) - 1;
  return [Math.max(0, Math.floor(from / length)), Math.min(last, Math.floor((to - 1) / length))];
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
    // What could not be had is asked for again.
    known.catch(() => kept.delete(index));
    if (kept.size > mostKeptBlocks)
      for (const oldest of kept.keys()) if (kept.delete(oldest)) break;
    return known;
  };
  const length = blockLength(source);
  return async (start, count) => {
    const out = new Float32Array(count);
    const [first, end] = blockRange(source, start, start + count);
    // Together, so that they travel together.
    const blocks = await Promise.all(
      Array.from({ length: Math.max(0, end - first + 1) }, (_, n) => block(first + n)),
    );
    for (const [n, samples] of blocks.entries()) {
      const at = (first + n) * length - start;
      const skip = Math.max(0, -at);
      const room = count - Math.max(0, at);
      if (skip < samples.length && room > 0)
        out.set(samples.subarray(skip, Math.min(samples.length, skip + room)), Math.max(0, at));
    }
    return out;
  };
}

const mostKeptBlocks = 24;
