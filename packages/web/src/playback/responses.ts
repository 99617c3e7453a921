import {
  responseBytes,
  responseNeeds,
  type ResponseNeed,
  type RoomResponse,
} from '@pannet/core/rooms/response';
import { rateOf, type Song } from '@pannet/core/song/song';
import { createStore } from 'zustand/vanilla';
import { sentenceOf } from '../api/request.ts';
import { ask, question, wasStopped } from '../workers/ask.ts';

export interface ResponseJob {
  readonly need: ResponseNeed;
  readonly recordings: Song['recordings'];
  readonly rateHz: number;
}

export const responseQuestion = question<ResponseJob, RoomResponse>(
  () => new Worker(new URL('./responses.worker.ts', import.meta.url), { type: 'module' }),
);

/** So much is kept of what no room rings by any more: what a drag has left behind, and may come back to. */
const mostSpareBytes = 32e6;

/** Recorded responses that rooms ring by, each made ready once. */
export class Responses {
  /** Of those that are ready or were refused, by their keys: how long each takes to fall by 60 dB, or why there is none. */
  readonly store = createStore<
    Readonly<Record<string, RoomResponse | { readonly failed: string }>>
  >(() => ({}));
  readonly #ready: () => void;
  readonly #stop = new AbortController();
  #song: Song | null = null;
  #working = false;

  /** @param ready called when one has become ready */
  constructor(ready: () => void) {
    this.#ready = ready;
  }

  get(key: string): RoomResponse | undefined {
    const known = this.store.getState()[key];
    return known && !('failed' in known) ? known : undefined;
  }

  /** Makes ready what the rooms of a song need, one after the other: what is turned meanwhile counts as it is by then. */
  want(song: Song): void {
    this.#song = song;
    if (!this.#working) void this.#work();
  }

  /** What has failed is tried again. */
  again(key: string): void {
    const { [key]: _, ...others } = this.store.getState();
    this.store.setState(others, true);
    if (this.#song) this.want(this.#song);
  }

  close(): void {
    this.#stop.abort();
  }

  #missing(): ResponseJob | null {
    if (!this.#song) return null;
    const { rooms, recordings } = this.#song;
    const known = this.store.getState();
    const need = responseNeeds(rooms, recordings).find(({ key }) => !Object.hasOwn(known, key));
    return need ? { need, recordings, rateHz: rateOf(this.#song) } : null;
  }

  async #work(): Promise<void> {
    this.#working = true;
    for (let job = this.#missing(); job; job = this.#missing()) {
      const { key } = job.need;
      try {
        const response = await ask(responseQuestion, job, { signal: this.#stop.signal });
        this.store.setState({ [key]: response });
        this.#trim();
        this.#ready();
      } catch (error) {
        if (wasStopped(error)) break;
        this.store.setState({ [key]: { failed: sentenceOf(error) } });
      }
    }
    this.#working = false;
  }

  /** Forgets what is over the bound and not in use, the oldest first. */
  #trim(): void {
    if (!this.#song) return;
    const { rooms, recordings } = this.#song;
    const inUse = new Set(responseNeeds(rooms, recordings).map(({ key }) => key));
    let spare = 0;
    const kept = Object.entries(this.store.getState())
      .reverse()
      .filter(([key, known]) => {
        if (inUse.has(key) || 'failed' in known) return true;
        spare += responseBytes(known);
        return spare <= mostSpareBytes;
      });
    this.store.setState(Object.fromEntries(kept.reverse()), true);
  }
}
