import type { KnownSplices } from '../playback/prepared-song.ts';
import type { Loop } from '@pannet/core/rendering/player';
import { partFrames, type Part, type Song } from '@pannet/core/song/song';
import { createStore } from 'zustand/vanilla';
import type { FromMeasurer, Measured, MeasureJob } from './messages.ts';

export interface PartMeasures {
  readonly measured: Measured;
  /** The stretch that was measured, in frames. */
  readonly from: number;
  readonly to: number;
  /** Whether the part has been changed since. */
  readonly current: boolean;
}

export interface AnalystState {
  readonly parts: Readonly<Record<string, PartMeasures>>;
  readonly busy: { readonly partId: string; readonly share: number } | null;
  readonly failure: string | null;
}

/** A change is measured when it has stood for so long. */
const patienceMs = 120;

/**
 * Keeps the figures of all parts up to date, in a worker: the selected part first, over the loop if there is one, then
 * the others over their whole length, as long as nothing plays.
 */
export class Analyst {
  readonly store = createStore<AnalystState>(() => ({ parts: {}, busy: null, failure: null }));
  readonly #worker = new Worker(new URL('./measure.worker.ts', import.meta.url), {
    type: 'module',
  });
  readonly #wanted = globalThis.crossOriginIsolated
    ? new Int32Array(new SharedArrayBuffer(4))
    : null;
  /** What each part's figures were measured of. */
  readonly #keys = new Map<string, string>();
  readonly #splices: () => KnownSplices;
  #song: Song | null = null;
  #selected: string | null = null;
  #loop: Loop | null = null;
  #job: (MeasureJob & { readonly key: string }) | null = null;
  #playing = false;
  #lastId = 0;
  #timer: ReturnType<typeof setTimeout> | undefined;

  /** @param splices those that were planned already */
  constructor(splices: () => KnownSplices = () => []) {
    this.#splices = splices;
    this.#worker.onmessage = (event: MessageEvent<FromMeasurer>) => this.#hear(event.data);
  }

  /** @param loop the stretch that the selected part is measured over, or null for all of it */
  update(song: Song, selected: string | null, loop: Loop | null): void {
    this.#song = song;
    this.#selected = selected;
    this.#loop = loop;
    this.#markStale();
    const job = this.#job;
    const overtaken =
      job &&
      (this.#keyOf(job.partId) !== job.key || (selected !== job.partId && this.#isStale(selected)));
    if (overtaken) this.#stop();
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => this.#next(), patienceMs);
  }

  /** While it plays only the selected part is measured: the sound comes first. */
  setPlaying(playing: boolean): void {
    if (playing === this.#playing) return;
    this.#playing = playing;
    if (playing && this.#job && this.#job.partId !== this.#selected) this.#stop();
    if (!playing) this.#next();
  }

  #stop(): void {
    if (this.#wanted) Atomics.store(this.#wanted, 0, 0);
  }

  /** How much louder the image is than plain, in dB; null while that is not known. */
  matchDb(partId: string): number | null {
    const measured = this.store.getState().parts[partId]?.measured;
    if (!measured || measured.plainLufs === null || measured.report.loudnessLufs === null)
      return null;
    return measured.report.loudnessLufs - measured.plainLufs;
  }

  #stretch(part: Part): Loop {
    const frames = this.#song ? partFrames(this.#song, part) : 0;
    const loop = part.id === this.#selected ? this.#loop : null;
    return {
      start: Math.min(loop?.start ?? 0, frames),
      end: Math.min(loop?.end ?? frames, frames),
    };
  }

  #keyOf(partId: string): string | null {
    const part = this.#song?.parts[partId];
    if (!part || !this.#song) return null;
    const { start, end } = this.#stretch(part);
    return JSON.stringify([
      part.image,
      part.preparation,
      part.takes,
      part.levelDb,
      this.#song.panLaw,
      start,
      end,
    ]);
  }

  #isStale(partId: string | null): boolean {
    return partId !== null && this.#keys.get(partId) !== this.#keyOf(partId);
  }

  #markStale(): void {
    const { parts } = this.store.getState();
    const next: Record<string, PartMeasures> = {};
    let changed = false;
    for (const [id, measures] of Object.entries(parts)) {
      if (!this.#song?.parts[id]) {
        changed = true;
        continue;
      }
      const current = !this.#isStale(id);
      next[id] = current === measures.current ? measures : { ...measures, current };
      changed ||= next[id] !== measures;
    }
    if (changed) this.store.setState({ parts: next });
  }

  #next(): void {
    if (this.#job || !this.#song) return;
    const others = this.#playing ? [] : this.#song.partOrder.filter((id) => id !== this.#selected);
    const order = this.#selected ? [this.#selected, ...others] : others;
    const partId = order.find((id) => this.#isStale(id));
    if (partId === undefined) return;
    const { start, end } = this.#stretch(this.#song.parts[partId]);
    const id = ++this.#lastId;
    if (this.#wanted) Atomics.store(this.#wanted, 0, id);
    const job: MeasureJob = {
      id,
      song: this.#song,
      partId,
      from: start,
      to: end,
      wanted: this.#wanted,
      splices: this.#splices(),
    };
    this.#job = { ...job, key: this.#keyOf(partId) as string };
    this.store.setState({ busy: { partId, share: 0 } });
    this.#worker.postMessage(job);
  }

  #hear(message: FromMeasurer): void {
    const job = this.#job;
    if (!job || message.id !== job.id) return;
    if (message.kind === 'progress') {
      this.store.setState({ busy: { partId: job.partId, share: message.share } });
      return;
    }
    this.#job = null;
    this.store.setState({ busy: null });
    if (message.kind === 'measured') {
      this.#keys.set(job.partId, job.key);
      const measures: PartMeasures = {
        measured: message.measured,
        from: job.from,
        to: job.to,
        current: this.#keyOf(job.partId) === job.key,
      };
      this.store.setState((state) => ({
        failure: null,
        parts: { ...state.parts, [job.partId]: measures },
      }));
    } else if (message.kind === 'failed') {
      // Not tried again until the part is changed.
      this.#keys.set(job.partId, job.key);
      this.store.setState({ failure: message.sentence });
    }
    this.#next();
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#worker.terminate();
  }
}
