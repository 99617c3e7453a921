import { voiceChangeMs } from '../parameters/tables.ts';
import type { BlockStore } from '../sources/blocks.ts';
import { changeFade, Glide } from './glide.ts';
import type { PartPlan, RenderPlan, StageGains, StagePlan, StrandPlan } from './plan.ts';
import { quantumFrames } from './quantum.ts';
import { Tap, tapKey } from './tap.ts';

const reading = new Float64Array(quantumFrames);
const voiceLeft = new Float64Array(quantumFrames);
const voiceRight = new Float64Array(quantumFrames);
const openFrom = new Float32Array(quantumFrames);
const openTo = new Float32Array(quantumFrames);

/** What a strand does: what it reads, and how much of it goes to each side. */
interface Layer {
  readonly tap: Tap;
  readonly left: number;
  readonly right: number;
  /** How far it has faded in over the layers under it, in frames. */
  step: number;
}

/** Far under the last bit of any file: nothing, before it becomes one of the numbers that slow a processor down. */
const nothing = 1e-30;

function hushed(value: number): number {
  return value < nothing && value > -nothing ? 0 : value;
}

/** target += source · gain, over one quantum. */
function addScaled(source: Float64Array, gain: number, target: Float64Array): void {
  if (gain === 0) return;
  for (let n = 0; n < quantumFrames; n++) target[n] += source[n] * gain;
}

/** target goes over to source · gain by the fade's weights from `step` on. */
function fadeOver(
  target: Float64Array,
  source: Float64Array,
  gain: number,
  fade: Float64Array,
  step: number,
): void {
  for (let n = 0; n < quantumFrames; n++)
    target[n] += (source[n] * gain - target[n]) * fade[step + n];
}

/**
 * One strand. A change lays a new reading over the old one and fades it in; the next change may follow when that is a quarter
 * done, and of those that came meanwhile only the latest is taken. Fades that overlap by half add up to an even motion, so
 * that a dragged delay does not beat.
 */
class StrandRun {
  readonly #fade: Float64Array;
  readonly #layers: Layer[];
  #waiting: Layer | null = null;
  gone = false;

  constructor(rateHz: number, plan: StrandPlan) {
    this.#fade = changeFade(rateHz, voiceChangeMs);
    // A strand that is new fades in from nothing.
    this.#layers = [{ tap: new Tap(plan), left: 0, right: 0, step: this.#fade.length }];
    this.aim(plan);
  }

  get #goal(): Layer {
    return this.#waiting ?? this.#layers[this.#layers.length - 1];
  }

  aim(plan: StrandPlan): void {
    this.gone = false;
    this.#change(tapKey(plan), () => new Tap(plan), plan.left, plan.right);
  }

  leave(): void {
    this.gone = true;
    const { tap } = this.#goal;
    this.#change(tap.key, () => tap, 0, 0);
  }

  #change(key: string, make: () => Tap, left: number, right: number): void {
    const goal = this.#goal;
    const sameTap = goal.tap.key === key;
    if (sameTap && goal.left === left && goal.right === right) return;
    this.#waiting = { tap: sameTap ? goal.tap : make(), left, right, step: 0 };
    this.#take();
  }

  /** Lets the waiting change begin if the one before is far enough. */
  #take(): void {
    const top = this.#layers[this.#layers.length - 1];
    if (!this.#waiting || top.step * 4 < this.#fade.length) return;
    this.#layers.push(this.#waiting);
    this.#waiting = null;
  }

  settle(): void {
    const goal = this.#goal;
    goal.step = this.#fade.length;
    this.#layers.length = 0;
    this.#layers.push(goal);
    this.#waiting = null;
  }

  get finished(): boolean {
    return this.gone && this.#layers.length === 1;
  }

  /** Adds the strand to the sums of both sides. */
  add(store: BlockStore, frame: number, left: Float64Array, right: Float64Array): void {
    const layers = this.#layers;
    if (layers.length === 1) {
      const layer = layers[0];
      if (layer.left === 0 && layer.right === 0) return;
      layer.tap.read(store, frame, reading);
      addScaled(reading, layer.left, left);
      addScaled(reading, layer.right, right);
      return;
    }
    voiceLeft.fill(0);
    voiceRight.fill(0);
    let read: Tap | null = null;
    for (let k = 0; k < layers.length; k++) {
      const layer = layers[k];
      if (layer.tap !== read) {
        layer.tap.read(store, frame, reading);
        read = layer.tap;
      }
      if (k === 0) {
        addScaled(reading, layer.left, voiceLeft);
        addScaled(reading, layer.right, voiceRight);
        continue;
      }
      fadeOver(voiceLeft, reading, layer.left, this.#fade, layer.step);
      fadeOver(voiceRight, reading, layer.right, this.#fade, layer.step);
      layer.step += quantumFrames;
    }
    addScaled(voiceLeft, 1, left);
    addScaled(voiceRight, 1, right);
    // What lies under a layer that is all there is no longer heard.
    while (layers.length > 1 && layers[1].step >= this.#fade.length) layers.shift();
    this.#take();
  }
}

const sameGains = (a: StageGains, b: StageGains) =>
  a.ll === b.ll && a.lr === b.lr && a.rl === b.rl && a.rr === b.rr;
const sameLevel = (a: number, b: number) => a === b;
const sameStage = (a: StagePlan, b: StagePlan) =>
  sameGains(a.open, b.open) && sameGains(a.closed, b.closed) && a.opening?.key === b.opening?.key;

/** How far a stage is open, frame by frame. */
function readOpening(
  store: BlockStore,
  { opening }: StagePlan,
  frame: number,
  target: Float32Array,
): void {
  if (opening) store.read(opening, frame, quantumFrames, target);
  else target.fill(1);
}

/** One part as it sounds: after its stage and level, before any mute, solo or listening mode. */
export class PartRun {
  readonly id: string;
  readonly left = new Float32Array(quantumFrames);
  readonly right = new Float32Array(quantumFrames);
  readonly plainLeft = new Float32Array(quantumFrames);
  readonly plainRight = new Float32Array(quantumFrames);
  readonly #rateHz: number;
  readonly #strands: StrandRun[] = [];
  readonly #byId = new Map<string, StrandRun>();
  readonly #stage: Glide<StagePlan>;
  readonly #plain: StrandRun;
  readonly #plainLevel: Glide<number>;
  readonly #sumLeft = new Float64Array(quantumFrames);
  readonly #sumRight = new Float64Array(quantumFrames);

  constructor(rateHz: number, plan: PartPlan) {
    this.id = plan.id;
    this.#rateHz = rateHz;
    this.#stage = new Glide(rateHz, plan.stage, sameStage);
    this.#plain = new StrandRun(rateHz, plan.plain.strand);
    this.#plainLevel = new Glide(rateHz, plan.plain.level, sameLevel);
    this.aim(plan);
  }

  aim(plan: PartPlan): void {
    this.#stage.aim(plan.stage);
    this.#plain.aim(plan.plain.strand);
    this.#plainLevel.aim(plan.plain.level);
    const wanted = new Set(plan.strands.map((strand) => strand.id));
    for (const strand of plan.strands) {
      const run = this.#byId.get(strand.id);
      if (run) {
        run.aim(strand);
      } else {
        const started = new StrandRun(this.#rateHz, strand);
        this.#byId.set(strand.id, started);
        this.#strands.push(started);
      }
    }
    for (const [id, run] of this.#byId) if (!wanted.has(id)) run.leave();
  }

  settle(): void {
    this.#stage.settle();
    this.#plain.settle();
    this.#plainLevel.settle();
    for (const strand of this.#strands) strand.settle();
  }

  /** Drops strands that have faded out; not from within the sound. */
  sweep(): void {
    for (const [id, run] of this.#byId)
      if (run.finished) {
        this.#byId.delete(id);
        this.#strands.splice(this.#strands.indexOf(run), 1);
      }
  }

  render(store: BlockStore, frame: number): void {
    const left = this.#sumLeft.fill(0);
    const right = this.#sumRight.fill(0);
    for (const strand of this.#strands) strand.add(store, frame, left, right);
    const { from, to, moving } = this.#stage;
    if (moving || to.opening) this.#stageMoving(store, frame, from, to);
    else this.#stageStill(to.open);
  }

  #stageStill({ ll, lr, rl, rr }: StageGains): void {
    const left = this.#sumLeft;
    const right = this.#sumRight;
    for (let n = 0; n < quantumFrames; n++) {
      this.left[n] = hushed(ll * left[n] + lr * right[n]);
      this.right[n] = hushed(rl * left[n] + rr * right[n]);
    }
  }

  /** Both stages at what they are opened to, and the way from one to the other. */
  #stageMoving(store: BlockStore, frame: number, from: StagePlan, to: StagePlan): void {
    const stage = this.#stage;
    const { moving, weights } = stage;
    stage.begin();
    readOpening(store, to, frame, openTo);
    if (moving) readOpening(store, from, frame, openFrom);
    for (let n = 0; n < quantumFrames; n++) {
      const l = this.#sumLeft[n];
      const r = this.#sumRight[n];
      const w = moving ? weights[n] : 1;
      const e = openTo[n];
      const f = openFrom[n];
      const ll = to.closed.ll + (to.open.ll - to.closed.ll) * e;
      const lr = to.closed.lr + (to.open.lr - to.closed.lr) * e;
      const rl = to.closed.rl + (to.open.rl - to.closed.rl) * e;
      const rr = to.closed.rr + (to.open.rr - to.closed.rr) * e;
      const fromLl = from.closed.ll + (from.open.ll - from.closed.ll) * f;
      const fromLr = from.closed.lr + (from.open.lr - from.closed.lr) * f;
      const fromRl = from.closed.rl + (from.open.rl - from.closed.rl) * f;
      const fromRr = from.closed.rr + (from.open.rr - from.closed.rr) * f;
      this.left[n] = hushed((fromLl + (ll - fromLl) * w) * l + (fromLr + (lr - fromLr) * w) * r);
      this.right[n] = hushed((fromRl + (rl - fromRl) * w) * l + (fromRr + (rr - fromRr) * w) * r);
    }
    stage.end();
  }

  /** The plain reference, into `plainLeft` and `plainRight`. */
  renderPlain(store: BlockStore, frame: number): void {
    const left = this.#sumLeft.fill(0);
    const right = this.#sumRight.fill(0);
    this.#plain.add(store, frame, left, right);
    const glide = this.#plainLevel;
    const { from, to, moving } = glide;
    glide.begin();
    for (let n = 0; n < quantumFrames; n++) {
      const level = moving ? from + (to - from) * glide.weights[n] : to;
      this.plainLeft[n] = hushed(left[n] * level);
      this.plainRight[n] = hushed(right[n] * level);
    }
    glide.end();
  }
}

/**
 * The one engine: the worklet, the export, the command line and the tests all run it. Runs a plan over blocks of
 * PCM, quantum by quantum, each at any absolute frame that is a multiple of 128.
 */
export class Renderer {
  readonly #store: BlockStore;
  readonly #rateHz: number;
  readonly parts: PartRun[] = [];

  constructor(rateHz: number, store: BlockStore) {
    this.#rateHz = rateHz;
    this.#store = store;
  }

  /** Takes up a plan; what differs from the one before glides. The plan's rate is the renderer's. */
  aim(plan: RenderPlan): void {
    const byId = new Map(this.parts.map((part) => [part.id, part]));
    this.parts.length = 0;
    for (const part of plan.parts) {
      const run = byId.get(part.id);
      if (run) {
        run.sweep();
        run.aim(part);
        this.parts.push(run);
      } else {
        const started = new PartRun(this.#rateHz, part);
        started.settle();
        this.parts.push(started);
      }
    }
  }

  settle(): void {
    for (const part of this.parts) part.settle();
  }

  /** Renders the quantum at `frame` (a multiple of 128) of all parts into their buffers. */
  render(frame: number, plain: boolean): void {
    for (const part of this.parts) {
      part.render(this.#store, frame);
      if (plain) part.renderPlain(this.#store, frame);
    }
  }
}
