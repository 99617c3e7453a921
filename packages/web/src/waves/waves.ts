import type { Recording } from '@pannet/core/song/song';
import { channelSource, framesReader } from '@pannet/core/sources/blocks';
import { createStore, type StoreApi } from 'zustand/vanilla';
import { RecordingReader } from '../playback/recording-reader.ts';
import { ask, wasStopped } from '../workers/ask.ts';
import { outlineFrames, outlineQuestion } from './outline.ts';

/** One channel of a recording, which is what a wave is drawn of. */
export interface WaveOf {
  readonly recording: Recording;
  readonly channel: number;
}

export interface Outline {
  /** Least and largest sample of each `outlineFrames`, in pairs; zeros where it has not come to yet. */
  readonly ends: Float32Array | null;
  /** Why there is none. */
  readonly failure: string | null;
}

/** Samples of a stretch, one for one. */
export interface Stretch {
  readonly from: number;
  readonly samples: Float32Array;
}

/** Outlines are kept up to so many bytes, and at least so many: a place shows some twenty at once. An hour's is 5 MB. */
const mostBytes = 128 * 2 ** 20;
const leastOutlines = 24;
/** So many are made at once. */
const mostMaking = 3;

/**
 * Waves of one open song: outlines over all of a recording, each read once, and samples of stretches for what is drawn
 * so near that an outline is too coarse.
 */
export class Waves {
  /** In the order of last use. */
  readonly #outlines = new Map<string, StoreApi<Outline>>();
  readonly #reader = new RecordingReader(32e6, 4);
  readonly #stop = new AbortController();
  /** Those that are to be made yet, the newest last: what was asked for last is seen. */
  readonly #asked: (() => Promise<void>)[] = [];
  #making = 0;
  #bytes = 0;
  readonly #sizes = new Map<string, number>();

  outlineOf({ recording, channel }: WaveOf): StoreApi<Outline> {
    const { key } = channelSource(recording, channel);
    const kept = this.#outlines.get(key);
    const store = kept ?? createStore<Outline>(() => ({ ends: null, failure: null }));
    this.#outlines.delete(key);
    this.#outlines.set(key, store);
    if (kept) return kept;
    this.#keep(key, (2 * Float32Array.BYTES_PER_ELEMENT * recording.frames) / outlineFrames);
    const show = (ends: Float32Array) => store.setState({ ends });
    this.#asked.push(() =>
      ask(outlineQuestion, { recording, channel }, { signal: this.#stop.signal, progress: show })
        .then(show)
        .catch((error: unknown) => {
          if (wasStopped(error)) return;
          store.setState({ failure: error instanceof Error ? error.message : String(error) });
        }),
    );
    this.#make();
    return store;
  }

  #make(): void {
    if (this.#making >= mostMaking) return;
    const next = this.#asked.pop();
    if (!next) return;
    this.#making++;
    void next().finally(() => {
      this.#making--;
      this.#make();
    });
  }

  /** Counts an outline that is new, and forgets those that were not used for longest. */
  #keep(key: string, bytes: number): void {
    this.#sizes.set(key, bytes);
    this.#bytes += bytes;
    for (const oldest of this.#outlines.keys()) {
      if (this.#bytes <= mostBytes || this.#outlines.size <= leastOutlines) return;
      this.#outlines.delete(oldest);
      this.#bytes -= this.#sizes.get(oldest) ?? 0;
      this.#sizes.delete(oldest);
    }
  }

  /** @param from,to frames; what lies outside the recording is left out */
  async stretchOf({ recording, channel }: WaveOf, from: number, to: number): Promise<Stretch> {
    this.#reader.know([recording]);
    const begin = Math.max(0, Math.floor(from));
    const end = Math.max(begin, Math.min(recording.frames, Math.ceil(to)));
    const read = framesReader(channelSource(recording, channel), this.#reader.load);
    return { from: begin, samples: await read(begin, end - begin) };
  }

  close(): void {
    // Each would begin a worker only to end it.
    this.#asked.length = 0;
    this.#stop.abort();
  }
}
