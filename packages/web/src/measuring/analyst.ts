import { contentKey } from '@pannet/core/song/content-key';
import type { KnownSplices } from '../playback/known-splices.ts';
import type { Loop } from '@pannet/core/rendering/player';
import { withDraft } from '@pannet/core/song/draft-moves';
import { partFrames, type Part, type Song } from '@pannet/core/song/song';
import { createStore } from 'zustand/vanilla';
import { Asked } from './asked.ts';
import type { FromMeasurer, Measured, MeasureJob } from './messages.ts';

export interface PartMeasures {
  readonly measured: Measured;
  /** The stretch that was measured, in frames. */
  readonly from: number;
  readonly to: number;
  /** Whether the part has been changed since. */
  readonly current: boolean;
}

/** What is measured: a part as it is, or with one of its drafts. */
export function measuredId(partId: string, draft: string | null = null): string {
  return draft === null ? partId : `${partId}#${draft}`;
}

export interface AnalystState {
  /** By `measuredId`. */
  readonly parts: Readonly<Record<string, PartMeasures>>;
  readonly busy: { readonly partId: string; readonly share: number } | null;
  readonly failure: string | null;
  /** What was stopped or has failed and was not changed since, by `measuredId`. */
  readonly left: readonly string[];
}

/** A change is measured when it has stood for so long. */
const patienceMs = 120;
/** Measuring rests for so long after what is seen has been moved. */
const restMs = 150;
/** So many figures are kept by their content. */
const mostKnown = 120;

/**
 * Keeps the figures of all parts up to date, in a worker: the selected part first, over the loop if there is one, then
 * its drafts, then the other parts over their whole length, as long as nothing plays. What was measured once is kept by
 * its content, so that going back to it costs nothing.
 */
export class Analyst {
  readonly store = createStore<AnalystState>(() => ({
    parts: {},
    busy: null,
    failure: null,
    left: [],
  }));
  /** None after it has ended: the next measurement begins another. */
  #worker: Worker | null = null;
  readonly #asked = globalThis.crossOriginIsolated ? new Asked() : null;
  /** What each figure was measured of. */
  readonly #keys = new Map<string, string>();
  /** By their keys, the ones used last at the end. */
  readonly #known = new Map<string, Omit<PartMeasures, 'current'>>();
  /** What was stopped or failed, by the key that it had then. */
  readonly #left = new Map<string, string>();
  readonly #splices: (song: Song, partIds: readonly string[]) => KnownSplices;
  #song: Song | null = null;
  #selected: string | null = null;
  #loop: Loop | null = null;
  #job: (MeasureJob & { readonly key: string; readonly target: string }) | null = null;
  #playing = false;
  #waiting = false;
  #lastId = 0;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #resting: ReturnType<typeof setTimeout> | undefined;

  /** @param splices those that were planned already */
  constructor(splices: (song: Song, partIds: readonly string[]) => KnownSplices = () => []) {
    this.#splices = splices;
    this.#begin();
  }

  #begin(): Worker {
    const worker = new Worker(new URL('./measure.worker.ts', import.meta.url), { type: 'module' });
    worker.onmessage = (event: MessageEvent<FromMeasurer>) => this.#hear(event.data);
    worker.onerror = (event) => {
      worker.terminate();
      this.#worker = null;
      if (this.#job) this.#left.set(this.#job.target, this.#job.key);
      this.#job = null;
      const failure = `it has stopped, ${event.message || 'its worker ended'}.`;
      this.store.setState({ busy: null, failure });
      this.#tellLeft();
    };
    this.#worker = worker;
    return worker;
  }

  /** @param loop the stretch that the selected part is measured over, or null for all of it */
  update(song: Song, selected: string | null, loop: Loop | null): void {
    this.#song = song;
    this.#selected = selected;
    this.#loop = loop;
    this.#recallKnown();
    this.#markStale();
    this.#tellLeft();
    this.#stopOvertaken();
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => this.#next(), patienceMs);
  }

  /** Whether the figures of a part are those of what it is now. */
  isCurrent(partId: string): boolean {
    return this.store.getState().parts[partId]?.current ?? false;
  }

  /** What is known of a part as it is in another song than the one that is measured now: as it is kept, say. */
  knownOf(song: Song, partId: string): PartMeasures | null {
    const part = song.parts[partId] as Part | undefined;
    const known = part && this.#known.get(contentKey(song, part, this.#stretch(part)));
    return known ? { ...known, current: true } : null;
  }

  /** While it plays only the selected part is measured: the sound comes first. */
  setPlaying(playing: boolean): void {
    if (playing === this.#playing) return;
    this.#playing = playing;
    if (playing && this.#job && !this.#selectedTargets().includes(this.#job.target)) this.#stop();
    if (!playing) this.#next();
  }

  /**
   * While what is seen is moved: that comes first, too, where there are few cores. Not while it plays: what is seen follows the playhead then,
   * and from near it does so all the time.
   */
  rest(): void {
    if (!this.#asked || this.#playing) return;
    this.#asked.rest(true);
    clearTimeout(this.#resting);
    this.#resting = setTimeout(() => this.#asked?.rest(this.#waiting), restMs);
  }

  /** While sound is waited for, after a jump, at the beginning or of a new tuning: that comes first. */
  setWaiting(waiting: boolean): void {
    if (waiting === this.#waiting) return;
    this.#waiting = waiting;
    this.#asked?.rest(waiting);
  }

  /** Leaves what is being measured until it is changed, or asked for again. */
  stop(): void {
    if (!this.#job) return;
    this.#left.set(this.#job.target, this.#job.key);
    this.#stop();
  }

  /** Measures what was stopped or has failed. */
  again(): void {
    this.#left.clear();
    this.store.setState({ failure: null });
    this.#tellLeft();
    this.#stopOvertaken();
    this.#next();
  }

  /** Stops what is measured of something that has changed, or before the selected part. */
  #stopOvertaken(): void {
    const [job, selected] = [this.#job, this.#selected];
    if (!job) return;
    const isLater = selected !== null && selected !== job.target && this.#isWanted(selected);
    if (isLater || this.#keyOf(job.target) !== job.key) this.#stop();
  }

  #tellLeft(): void {
    const left = [...this.#left.keys()].filter((id) => this.#isStale(id) && !this.#isWanted(id));
    if (left.join() !== this.store.getState().left.join()) this.store.setState({ left });
  }

  #stop(): void {
    this.#asked?.want(0);
  }

  /** The part as it is to be measured, and the song that it is so in. */
  #targetOf(id: string): { readonly song: Song; readonly part: Part } | null {
    if (!this.#song) return null;
    const { parts } = this.#song;
    if (id in parts) return { song: this.#song, part: parts[id] };
    const at = id.lastIndexOf('#');
    const part = parts[id.slice(0, at)] as Part | undefined;
    const draft = id.slice(at + 1);
    if (!part || !Object.hasOwn(part.drafts, draft)) return null;
    const song = withDraft(this.#song, part, draft);
    return { song, part: song.parts[part.id] };
  }

  #stretch(part: Part): Loop {
    const frames = this.#song ? partFrames(this.#song, part) : 0;
    const loop = part.id === this.#selected ? this.#loop : null;
    return {
      start: Math.min(loop?.start ?? 0, frames),
      end: Math.min(loop?.end ?? frames, frames),
    };
  }

  #keyOf(id: string): string | null {
    const target = this.#targetOf(id);
    return target && contentKey(target.song, target.part, this.#stretch(target.part));
  }

  #selectedTargets(): string[] {
    const part = this.#selected === null ? null : this.#targetOf(this.#selected)?.part;
    if (!part) return [];
    return [part.id, ...Object.keys(part.drafts).map((draft) => measuredId(part.id, draft))];
  }

  #keep(key: string, measures: Omit<PartMeasures, 'current'>): void {
    this.#known.delete(key);
    this.#known.set(key, measures);
    const [oldest] = this.#known.keys();
    if (this.#known.size > mostKnown) this.#known.delete(oldest);
  }

  /** Takes up at once what was measured before of the same content. */
  #recallKnown(): void {
    const ids = [...this.#selectedTargets(), ...(this.#song?.partOrder ?? [])];
    const recalled: Record<string, PartMeasures> = {};
    for (const id of ids) {
      const key = this.#keyOf(id);
      const known = key === null ? undefined : this.#known.get(key);
      if (key === null || !known || this.#keys.get(id) === key) continue;
      this.#keys.set(id, key);
      this.#keep(key, known);
      recalled[id] = { ...known, current: true };
    }
    if (Object.keys(recalled).length > 0)
      this.store.setState(({ parts }) => ({ parts: { ...parts, ...recalled } }));
  }

  #isStale(partId: string | null): boolean {
    return partId !== null && this.#keys.get(partId) !== this.#keyOf(partId);
  }

  /** Whether its figures are wanted: what was stopped or failed is not tried again until it is changed. */
  #isWanted(partId: string): boolean {
    return this.#isStale(partId) && this.#left.get(partId) !== this.#keyOf(partId);
  }

  #markStale(): void {
    const { parts } = this.store.getState();
    const next: Record<string, PartMeasures> = {};
    let changed = false;
    for (const [id, measures] of Object.entries(parts)) {
      if (!this.#targetOf(id)) {
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
    const order = [...this.#selectedTargets(), ...others];
    const target = order.find((id) => this.#isWanted(id));
    if (target === undefined) return;
    const wanted = this.#targetOf(target);
    if (!wanted) return;
    const { song, part } = wanted;
    const partId = part.id;
    const { start, end } = this.#stretch(part);
    const id = ++this.#lastId;
    this.#asked?.want(id);
    const job: MeasureJob = {
      id,
      song,
      partId,
      from: start,
      to: end,
      asked: this.#asked?.shared ?? null,
      splices: this.#splices(this.#song, [partId]),
    };
    this.#job = { ...job, target, key: this.#keyOf(target) as string };
    this.store.setState({ busy: { partId: target, share: 0 } });
    (this.#worker ?? this.#begin()).postMessage(job);
  }

  #hear(message: FromMeasurer): void {
    const job = this.#job;
    if (!job || message.id !== job.id) return;
    if (message.kind === 'progress') {
      this.store.setState({ busy: { partId: job.target, share: message.share } });
      return;
    }
    this.#job = null;
    this.store.setState({ busy: null });
    if (message.kind === 'measured') {
      this.#keys.set(job.target, job.key);
      const measures = { measured: message.measured, from: job.from, to: job.to };
      this.#keep(job.key, measures);
      const current = this.#keyOf(job.target) === job.key;
      this.store.setState((state) => ({
        failure: null,
        parts: { ...state.parts, [job.target]: { ...measures, current } },
      }));
    } else if (message.kind === 'failed') {
      this.#left.set(job.target, job.key);
      this.store.setState({ failure: message.sentence });
    }
    this.#tellLeft();
    this.#next();
  }

  close(): void {
    clearTimeout(this.#timer);
    clearTimeout(this.#resting);
    this.#worker?.terminate();
  }
}
