import { isBrief, isMade, isVocoded } from '@pannet/core/derived/made-source';
import { freshReserveMs } from '@pannet/core/rendering/player';
import { widestReach } from '@pannet/core/rendering/time-map';
import {
  blockLength,
  blockRange,
  type BlockLoader,
  type PcmSource,
} from '@pannet/core/sources/blocks';
import type { FeederToWorklet, Whereabouts } from './messages.ts';

/** Supplied ahead of the playhead: long enough for a slow moment, short enough to stay small. */
const aheadSeconds = 3;
/** Of what is heard for a moment only: what is exported is there by then, or more is asked for. */
const briefAheadSeconds = 1;
/** Blocks under way at once: enough to fill two requests, few enough that a jump need not wait long. */
const mostFetches = 64;
const mostKnown = 1024;
/** What failed is asked for again after this long, and then ever later. */
const firstPauseMs = 500;
const longestPauseMs = 30_000;

/** What a feeder has round it: given from outside, so that it can be tried without a browser. */
export interface FeederSurroundings {
  readonly load: BlockLoader;
  /** To the worklet; null while there is none. */
  post: ((message: FeederToWorklet, transfer: Transferable[]) => void) | null;
  /** Is told what cannot be had, once for each time that it was tried. */
  readonly failed: (sentence: string) => void;
  /** In ms. */
  readonly now: () => number;
  /** Runs something later; the worker hears what is new meanwhile. */
  readonly later: (run: () => void, ms: number) => void;
}

interface Wanted {
  readonly source: PcmSource;
  readonly index: number;
  readonly distance: number;
}

const nameOf = ({ source, index }: Pick<Wanted, 'source' | 'index'>) => `${source.key}/${index}`;

/** What was being made is not wanted any more, or something else before it. */
class Superseded extends Error {}

/** Whether some of it is to be heard at once, and for a moment only. */
const begins = (sources: readonly PcmSource[]) => sources.some(isBrief);

/** Keeps the worklet supplied with what it plays round the playhead and at the loop's start. */
export class Feeder {
  readonly #around: FeederSurroundings;
  /** What the newest song reads. */
  #newest: readonly PcmSource[] = [];
  /** What is made for: left for the newest only when it can be heard, so that the sound follows while something is dragged. */
  #target: readonly PcmSource[] = [];
  /** Sources by their keys, of songs before, too, as long as they may be heard. */
  readonly #known = new Map<string, PcmSource>();
  #rateHz = 48_000;
  #whereabouts: Whereabouts = { frame: 0, loop: null, heard: [], reach: { behind: 0, ahead: 0 } };
  /** Blocks that the worklet has, or will get. */
  readonly #sent = new Map<string, Set<number>>();
  /** Names of those of them that it has. */
  readonly #delivered = new Set<string>();
  /** Names of those that failed: not before a time, and how long the next pause is. */
  readonly #failures = new Map<string, { readonly until: number; readonly pause: number }>();
  #fetching = 0;
  #making = false;
  /** The name of what is being made. */
  #made = '';

  constructor(around: FeederSurroundings) {
    this.#around = around;
  }

  /** A worklet that has nothing yet. */
  connect(post: FeederSurroundings['post']): void {
    this.#around.post = post;
    this.#sent.clear();
    this.#delivered.clear();
    this.#failures.clear();
    this.#feed();
  }

  hear(whereabouts: Whereabouts): void {
    this.#whereabouts = whereabouts;
    this.#feed();
  }

  /** What the song reads now. */
  read(rateHz: number, added: readonly PcmSource[], dropped: readonly string[]): void {
    this.#rateHz = rateHz;
    const gone = new Set(dropped);
    this.#newest = [...this.#newest.filter(({ key }) => !gone.has(key)), ...added];
    for (const source of this.#newest) {
      this.#known.delete(source.key);
      this.#known.set(source.key, source);
    }
    // What the worklet goes over to is told later: a source is not forgotten as soon as the song has another one.
    for (const key of this.#known.keys()) {
      if (this.#known.size <= mostKnown) break;
      if (!this.#whereabouts.heard.includes(key)) this.#known.delete(key);
    }
    this.#feed();
  }

  /** Sources that are heard though the target does not read them: they have to last until it is heard. */
  #outgoing(): PcmSource[] {
    const targeted = new Set(this.#target.map(({ key }) => key));
    return this.#whereabouts.heard.flatMap((key) =>
      targeted.has(key) ? [] : (this.#known.get(key) ?? []),
    );
  }

  /** The blocks round the playhead and the loop's start, the most urgent first. */
  #wantedBlocks(): Wanted[] {
    const rate = this.#rateHz;
    // Round a place any delay may be dragged to at once.
    const widest = widestReach(rate);
    const ahead = aheadSeconds * rate + widest.ahead;
    const { reach, frame, loop } = this.#whereabouts;
    const behind = Math.max(widest.behind, reach.behind);
    const places = [frame, ...(loop ? [loop.start] : [])];
    const wanted: Wanted[] = [];
    const listed = new Set<string>();
    const lasts = reach.ahead + (freshReserveMs * rate) / 1000;
    // What sounds must not run out while something else is made: its next block is wanted well before its end.
    const sources = [
      ...this.#outgoing().map((source) => [source, lasts] as const),
      ...this.#target.map((source) => [source, ahead] as const),
    ];
    for (const place of places) {
      const row: Wanted[] = [];
      for (const [source, until] of sources) {
        const [first, last] = this.#rangeRound(source, place - behind, place, place + until);
        // What the sound waits for and needs next comes first, then what lies ahead, what only a longer delay would need.
        const [urgent] = blockRange(source, place - reach.behind, place + reach.ahead);
        const [, nextTo] = blockRange(source, place, place + lasts);
        for (let index = first; index <= last; index++) {
          const name = nameOf({ source, index });
          const within = index >= urgent && index <= nextTo;
          // What comes first is first wanted: of several sources in turn, since none of them can be heard before all can.
          const distance = within
            ? Math.max(0, index * blockLength(source) - place) / lasts
            : Math.abs(index - urgent) + 1;
          if (!listed.has(name)) row.push({ source, index, distance });
          listed.add(name);
        }
      }
      wanted.push(...row.sort((a, b) => a.distance - b.distance));
    }
    return wanted;
  }

  /** Which blocks of a source are wanted round a place: of what begins anew, none before that, and no more than lasts until what is exported is there. */
  #rangeRound(
    source: PcmSource,
    from: number,
    place: number,
    to: number,
  ): readonly [number, number] {
    const range = blockRange(source, from, to);
    const anewAt = isVocoded(source) ? source.step.anewAt : undefined;
    if (anewAt === undefined) return range;
    const [first, last] = range;
    const [here, enough] = blockRange(source, place, place + briefAheadSeconds * this.#rateHz);
    return [here < anewAt ? first : Math.max(first, anewAt), Math.min(last, enough)];
  }

  #isSent({ source, index }: Wanted): boolean {
    return this.#sent.get(source.key)?.has(index) ?? false;
  }

  #mayTry(wanted: Wanted): boolean {
    if (this.#isSent(wanted)) return false;
    const failure = this.#failures.get(nameOf(wanted));
    return !failure || failure.until <= this.#around.now();
  }

  /** Whether nothing that the sound of the target waits for is missing. */
  #targetIsThere(): boolean {
    return this.#wantedBlocks().every(
      (wanted) => wanted.distance >= 1 || this.#delivered.has(nameOf(wanted)),
    );
  }

  /** Leaves for the newest when what is made for can be heard; at once for what begins anew, but not from what does, too: something is heard in each drag. */
  #aim(): void {
    if (this.#target === this.#newest) return;
    const leaves = begins(this.#newest) && !begins(this.#target);
    if (leaves || !this.#making || this.#targetIsThere()) this.#target = this.#newest;
  }

  /**
   * Within what takes long to make: the worker hears what is new meanwhile.
   * @throws Superseded where that is not wanted any more, or something else is to be heard at once
   */
  async rest(): Promise<void> {
    await new Promise<void>((resolve) => this.#around.later(resolve, 0));
    this.#aim();
    const wanted = this.#wantedBlocks();
    const isUrgent = (one: Wanted) => one.distance < 1 && isBrief(one.source) && this.#mayTry(one);
    if (!wanted.some((one) => nameOf(one) === this.#made) || wanted.some(isUrgent))
      throw new Superseded();
  }

  #feed(): void {
    const { post } = this.#around;
    if (!post) return;
    this.#aim();
    const wanted = this.#wantedBlocks();
    const keep: Record<string, number[]> = {};
    for (const { source, index } of wanted) (keep[source.key] ??= []).push(index);
    let dropped = false;
    for (const [key, indexes] of this.#sent) {
      for (const index of indexes)
        if (!keep[key]?.includes(index)) {
          indexes.delete(index);
          this.#delivered.delete(`${key}/${index}`);
          dropped = true;
        }
      if (indexes.size === 0) this.#sent.delete(key);
    }
    if (dropped) post({ kind: 'keep', keep }, []);
    for (const next of wanted) {
      if (this.#fetching >= mostFetches) break;
      if (!isMade(next.source) && this.#mayTry(next)) void this.#fetchOne(next);
    }
    if (!this.#making) void this.#makeAll();
  }

  async #fetchOne(wanted: Wanted): Promise<void> {
    this.#fetching++;
    try {
      if (!(await this.#supply(wanted))) return;
    } finally {
      this.#fetching--;
    }
    this.#feed();
  }

  /** Makes blocks one at a time, the most urgent of the moment first; between two of them the worker hears what is new. */
  async #makeAll(): Promise<void> {
    this.#making = true;
    try {
      for (;;) {
        this.#aim();
        const next = this.#wantedBlocks().find((one) => isMade(one.source) && this.#mayTry(one));
        if (!next) return;
        this.#made = nameOf(next);
        if (!(await this.#supply(next))) return;
        await new Promise<void>((resolve) => this.#around.later(resolve, 0));
      }
    } finally {
      this.#making = false;
    }
  }

  /** Whether a block was brought to the worklet, or is no longer wanted there. */
  async #supply({ source, index }: Wanted): Promise<boolean> {
    const name = nameOf({ source, index });
    let indexes = this.#sent.get(source.key);
    if (!indexes) this.#sent.set(source.key, (indexes = new Set()));
    indexes.add(index);
    const { post } = this.#around;
    try {
      const block = (await this.#around.load(source, index)).slice();
      this.#failures.delete(name);
      // The playhead may have gone elsewhere meanwhile, or the worklet with it.
      if (this.#sent.get(source.key)?.has(index) && post === this.#around.post) {
        this.#delivered.add(name);
        post?.({ kind: 'block', key: source.key, index, block }, [block.buffer]);
      }
      return true;
    } catch (error) {
      this.#sent.get(source.key)?.delete(index);
      if (error instanceof Superseded) return true;
      const pause = this.#failures.get(name)?.pause ?? firstPauseMs;
      this.#failures.set(name, {
        until: this.#around.now() + pause,
        pause: Math.min(longestPauseMs, 2 * pause),
      });
      this.#around.later(() => this.#feed(), pause);
      this.#around.failed(error instanceof Error ? error.message : String(error));
      return false;
    }
  }
}
