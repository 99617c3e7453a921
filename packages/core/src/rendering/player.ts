import { isBrief } from '../derived/made-source.ts';
import { voiceChangeMs } from '../parameters/tables.ts';
import { fadeTable } from '../signal/fade.ts';
import { blockLength, blockRange, type BlockStore, type PcmSource } from '../sources/blocks.ts';
import type { SplicePlan } from '../voices/splices.ts';
import { Monitor } from './monitor.ts';
import { plainMonitoring, type Monitoring } from './monitoring.ts';
import {
  noPlan,
  planEnd,
  planReach,
  planSources,
  roots,
  withSplices,
  type PlanGraph,
} from './plan.ts';
import type { Reach } from './time-map.ts';
import { quantumFrames } from './quantum.ts';

export interface Loop {
  /** First frame, and the one after the last. */
  readonly start: number;
  readonly end: number;
}

/** Sounds begin, end and jump over so many ms, or they would click. */
const edgeMs = 5;
/** So much more than is read at once must be there before the sound begins. */
const startReserveMs = 150;
/**
 * A new source has to be there for so much longer than is read at once before it is gone over to: while something is
 * dragged, what comes next of it has to wait for what is being made for the step after.
 */
export const freshReserveMs = 300;
/** One that is heard for a moment only is gone over to sooner: what comes next of it is made before anything else. */
const briefReserveMs = 100;
const scopePoints = 256;
/** Every so many frames one point of the scope. */
const scopeStride = 6;

/** So many plans wait at most. */
const mostPending = 32;

/** A plan, and what has to be there before it can be heard. */
interface Pending {
  readonly plan: PlanGraph;
  readonly fresh: readonly PcmSource[];
  readonly reach: Reach;
  readonly gains: Gains;
}

/** Of the images and groups that are compared: told for a plan, they are heard with it and not before. */
type Gains = Pick<Monitoring, 'image' | 'groups'>;

export type PlayerState = 'stopped' | 'loading' | 'playing';

/**
 * Transport round the monitor: any block size, start, stop, jump, loop, and what is seen of the sound. Knows no audio
 * host; the worklet is an adapter round it.
 */
export class Player {
  readonly monitor: Monitor;
  readonly #store: BlockStore;
  readonly #rateHz: number;
  readonly #edge: Float64Array;
  #sources: readonly PcmSource[] = [];
  #reach = planReach(noPlan);
  /** Where all that is heard has rung out. */
  #endFrame = 0;
  /** What was heard until lately: it fades out, and its blocks have to last as long. */
  #fading: readonly PcmSource[] = [];
  #fadesUntil = 0;
  /** All that may still be fading out, under several changes that came one after the other, and until when. */
  #leaving: readonly { readonly sources: readonly PcmSource[]; readonly until: number }[] = [];
  /** How long the blocks of all of them and of what is heard are, by key. */
  #lengths: ReadonlyMap<string, number> = new Map();
  /** Plans that wait for their sources, the newest last. */
  #pending: readonly Pending[] = [];
  #position = 0;
  /** Frames that have sounded, wherever. */
  #played = 0;
  #wanted = false;
  #state: PlayerState = 'stopped';
  #jump: number | null = null;
  /** How far the sound has faded in, in frames. */
  #opening = 0;
  /** Frame of the quantum that lies in the monitor's buffers. */
  #quantum = Number.NaN;
  /** How it is to be listened to, and the gains that are heard of it. */
  #monitoring = plainMonitoring;
  #gains: Gains = plainMonitoring;
  loop: Loop | null = null;
  /** The part whose own sound goes to the tap and the scope. */
  watched: string | null = null;
  underruns = 0;
  readonly scope = new Float32Array(2 * scopePoints);
  #scopeAt = 0;
  #scopeSkip = 0;
  /** Σl², Σr², Σlr of each part since they were last taken, in the order of the plan. */
  readonly sums = new Float64Array(3 * 64);

  constructor(rateHz: number, store: BlockStore) {
    this.#store = store;
    this.#rateHz = rateHz;
    this.monitor = new Monitor(rateHz, store);
    this.#edge = fadeTable(Math.round((edgeMs * rateHz) / 1000));
  }

  get position(): number {
    return this.#jump ?? this.#position;
  }

  get state(): PlayerState {
    return this.#state;
  }

  /**
   * Takes up a plan. While it plays, one that reads sources which are not there yet waits until they are, and what was
   * heard goes on. Of several that wait the newest that can be heard is taken: while something is dragged the sound
   * follows as fast as its sources are made.
   */
  aim(plan: PlanGraph): void {
    if (this.#state === 'playing') {
      const heard = new Set(this.#sources.map(({ key }) => key));
      const fresh = planSources(plan, roots.heard).filter(({ key }) => !heard.has(key));
      const gains = this.#monitoring;
      const waits: Pending = { plan, fresh, reach: planReach(plan, roots.heard), gains };
      if (!this.#isThere(waits)) {
        this.#pending = [...this.#pending.slice(1 - mostPending), waits];
        return;
      }
    }
    this.#pending = [];
    this.#take(plan);
    this.#hear(this.#monitoring);
  }

  /**
   * How it is listened to from now on. Gains that make states equally loud belong to the newest plan: while that waits for its sources, what
   * is heard until then keeps its own.
   */
  listen(monitoring: Monitoring): void {
    this.#monitoring = monitoring;
    const newest = this.#pending.at(-1);
    if (newest) this.#pending = [...this.#pending.slice(0, -1), { ...newest, gains: monitoring }];
    this.#hear(newest ? this.#gains : monitoring);
    if (this.#state === 'stopped') this.monitor.settle();
  }

  #hear(gains: Gains): void {
    this.#gains = gains;
    const { image, groups } = gains;
    this.monitor.listen({ ...this.#monitoring, image, groups });
  }

  #take(plan: PlanGraph): void {
    this.monitor.aim(plan);
    this.#fading = this.#sources;
    this.#fadesUntil = this.#played + (2 * voiceChangeMs * this.#rateHz) / 1000;
    this.#sources = planSources(plan, roots.heard);
    // Where nothing sounds nothing fades, and no time goes by in which it would be over.
    this.#leaving =
      this.#state !== 'playing'
        ? []
        : [
            ...this.#leaving.filter(({ until }) => until > this.#played),
            { sources: this.#fading, until: this.#fadesUntil },
          ];
    this.#lengths = new Map(
      [...this.#leaving.flatMap(({ sources }) => sources), ...this.#sources].map((source) => [
        source.key,
        blockLength(source),
      ]),
    );
    this.#reach = planReach(plan, roots.heard);
    this.#endFrame = planEnd(plan, roots.heard);
    if (this.#state === 'stopped') this.monitor.settle();
  }

  /** Splices that strands wait for go in at once, without a new plan from the page, which may be busy drawing. */
  tune(key: string, splices: SplicePlan): void {
    this.#pending = this.#pending.map((waits) => {
      const plan = withSplices(waits.plan, key, splices);
      return plan === waits.plan ? waits : { ...waits, plan, reach: planReach(plan, roots.heard) };
    });
    const { plan } = this.monitor;
    const tuned = withSplices(plan, key, splices);
    if (tuned !== plan) this.#take(tuned);
  }

  play(): void {
    this.#wanted = true;
    if (this.#state === 'stopped') this.#state = 'loading';
  }

  stop(): void {
    this.#wanted = false;
    if (this.#state === 'loading') this.#state = 'stopped';
  }

  /** Goes on from `frame`; a sound that plays is faded out first. */
  seek(frame: number): void {
    if (this.#state === 'playing') {
      this.#jump = frame;
    } else {
      this.#position = frame;
      this.#jump = null;
    }
  }

  #isThere({ fresh, reach }: Pending): boolean {
    const from = this.#position - reach.behind;
    const to = this.#position + reach.ahead;
    for (const source of fresh) {
      const room = ((isBrief(source) ? briefReserveMs : freshReserveMs) * this.#rateHz) / 1000;
      if (!this.#has(source, from, to + room)) return false;
    }
    return true;
  }

  /** Blocks have come: goes over to the newest plan that waited for them. Not from within the sound. */
  supplied(): void {
    for (let n = this.#pending.length - 1; n >= 0; n--) {
      const waits = this.#pending[n];
      if (!this.#isThere(waits)) continue;
      this.#pending = this.#pending.slice(n + 1);
      this.#take(waits.plan);
      this.#hear(waits.gains);
      return;
    }
  }

  /** Keys of what is heard now, whatever waits. */
  get heardKeys(): readonly string[] {
    const fading = this.#played < this.#fadesUntil ? this.#fading : [];
    return [...new Set([...this.#sources, ...fading].map(({ key }) => key))];
  }

  /** What has to be there around the position before the sound begins. */
  get reach(): Reach {
    const { behind, ahead } = this.#reach;
    return { behind, ahead: ahead + (startReserveMs * this.#rateHz) / 1000 };
  }

  /** Whether block `index` of a source may still be read where it plays, though a jump was asked for. */
  sounds(key: string, index: number): boolean {
    const length = this.#lengths.get(key);
    if (this.#state !== 'playing' || length === undefined) return false;
    const from = this.#position - this.#reach.behind;
    // A plan that waits leaves the one before in need of what comes next.
    const to = this.#position + this.#reach.ahead + this.#rateHz;
    return index >= Math.floor(from / length) && index <= Math.floor(to / length);
  }

  #startable(): boolean {
    const { behind, ahead } = this.reach;
    for (const source of this.#sources)
      if (!this.#has(source, this.#position - behind, this.#position + ahead)) return false;
    return true;
  }

  #has(source: PcmSource, from: number, to: number): boolean {
    const [first, last] = blockRange(source, from, to);
    for (let index = first; index <= last; index++)
      if (!this.#store.has(source.key, index)) return false;
    return true;
  }

  /** Fills `count` frames of what is heard, and of the watched part as it would be exported. */
  process(
    left: Float32Array,
    right: Float32Array,
    tapLeft: Float32Array,
    tapRight: Float32Array,
    count: number,
  ): void {
    let at = 0;
    while (at < count) {
      if (this.#state === 'loading' && this.#startable()) this.#start();
      if (this.#state !== 'playing') {
        left.fill(0, at, count);
        right.fill(0, at, count);
        tapLeft.fill(0, at, count);
        tapRight.fill(0, at, count);
        return;
      }
      at += this.#run(left, right, tapLeft, tapRight, at, count);
    }
  }

  #start(): void {
    this.#state = 'playing';
    this.#opening = 0;
    this.#quantum = Number.NaN;
    this.monitor.settle();
  }

  /** Plays on to the end of the block, the quantum or the loop, whichever is first; says how many frames that was. */
  #run(
    left: Float32Array,
    right: Float32Array,
    tapLeft: Float32Array,
    tapRight: Float32Array,
    at: number,
    count: number,
  ): number {
    const position = this.#position;
    const quantum = Math.floor(position / quantumFrames) * quantumFrames;
    if (quantum !== this.#quantum) this.#render(quantum);
    const inside = position - quantum;
    const loop = this.loop && position < this.loop.end ? this.loop : null;
    const untilLoopEnd = (loop?.end ?? Infinity) - position;
    const run = Math.min(count - at, quantumFrames - inside, untilLoopEnd);
    const { monitor } = this;
    const tapped = this.#tapped();
    const closing = !this.#wanted || this.#jump !== null;
    for (let n = 0; n < run; n++) {
      this.#opening = Math.max(0, Math.min(this.#edge.length, this.#opening + (closing ? -1 : 1)));
      const room = loop
        ? Math.min(loop.end - position - n, position + n - loop.start + 1)
        : Infinity;
      const step = Math.min(this.#opening, Math.max(room, 0));
      const gain = step >= this.#edge.length ? 1 : step <= 0 ? 0 : this.#edge[step - 1];
      left[at + n] = monitor.left[inside + n] * gain;
      right[at + n] = monitor.right[inside + n] * gain;
      tapLeft[at + n] = tapped ? tapped.left[inside + n] : 0;
      tapRight[at + n] = tapped ? tapped.right[inside + n] : 0;
    }
    this.#position = position + run;
    this.#played += run;
    if (loop && this.#position >= loop.end) this.#position = loop.start;
    if (closing && this.#opening === 0) this.#afterClosing();
    else if (this.#position >= this.#end()) this.#finish();
    return run;
  }

  #tapped() {
    for (const { id, image } of this.monitor.parts) if (id === this.watched) return image;
    return null;
  }

  #end(): number {
    return this.#endFrame;
  }

  #render(quantum: number): void {
    const missing = this.#store.missingFrames;
    this.monitor.render(quantum);
    this.#quantum = quantum;
    if (this.#store.missingFrames !== missing) this.underruns++;
    this.#look();
  }

  /** Sums and scope of what was just rendered. */
  #look(): void {
    let row = 0;
    for (const { id, image: part } of this.monitor.parts) {
      let ll = 0;
      let rr = 0;
      let lr = 0;
      for (let n = 0; n < quantumFrames; n++) {
        const l = part.left[n];
        const r = part.right[n];
        ll += l * l;
        rr += r * r;
        lr += l * r;
      }
      if (row < this.sums.length) {
        this.sums[row] += ll;
        this.sums[row + 1] += rr;
        this.sums[row + 2] += lr;
      }
      row += 3;
      if (id !== this.watched) continue;
      for (let n = this.#scopeSkip; n < quantumFrames; n += scopeStride) {
        this.scope[this.#scopeAt] = part.left[n];
        this.scope[this.#scopeAt + 1] = part.right[n];
        this.#scopeAt = (this.#scopeAt + 2) % this.scope.length;
      }
      this.#scopeSkip =
        (scopeStride - ((quantumFrames - this.#scopeSkip) % scopeStride)) % scopeStride;
    }
  }

  #afterClosing(): void {
    if (this.#jump !== null) {
      this.#position = this.#jump;
      this.#jump = null;
      this.#quantum = Number.NaN;
    }
    this.#state = this.#wanted ? 'loading' : 'stopped';
    const newest = this.#pending.at(-1);
    if (newest) this.aim(newest.plan);
  }

  /** The song is over: back to its beginning. */
  #finish(): void {
    this.#wanted = false;
    this.#state = 'stopped';
    this.#position = 0;
    this.#opening = 0;
  }
}
