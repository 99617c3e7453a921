import type { Recording } from '@pannet/core/song/song';
import { channelSource, framesReader } from '@pannet/core/sources/blocks';
import { createStore, type StoreApi } from 'zustand/vanilla';
import { RecordingReader } from '../playback/recording-reader.ts';
import { ask, wasStopped } from '../workers/ask.ts';
import { outlineQuestion } from './outline.ts';

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

/** So many outlines are kept: a place shows some ten at once. An hour's is 5 MB. */
const mostOutlines = 24;

/**
 * Waves of one open song: outlines over all of a recording, each read once, and samples of stretches for what is drawn
 * so near that an outline is too coarse.
 */
export class Waves {
  /** In the order of last use. */
  readonly #outlines = new Map<string, StoreApi<Outline>>();
  readonly #reader = new RecordingReader(32e6, 4);
  readonly #stop = new AbortController();

  outlineOf({ recording, channel }: WaveOf): StoreApi<Outline> {
    const { key } = channelSource(recording, channel);
    const kept = this.#outlines.get(key);
    const store = kept ?? createStore<Outline>(() => ({ ends: null, failure: null }));
    this.#outlines.delete(key);
    this.#outlines.set(key, store);
    if (kept) return kept;
    const [oldest] = this.#outlines.keys();
    if (this.#outlines.size > mostOutlines) this.#outlines.delete(oldest);
    const show = (ends: Float32Array) => store.setState({ ends });
    ask(outlineQuestion, { recording, channel }, { signal: this.#stop.signal, progress: show })
      .then(show)
      .catch((error: unknown) => {
        if (wasStopped(error)) return;
        store.setState({ failure: error instanceof Error ? error.message : String(error) });
      });
    return store;
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
    this.#stop.abort();
  }
}
