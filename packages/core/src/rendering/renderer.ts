import { voiceChangeMs } from '../parameters/tables.ts';
import type { BlockStore } from '../sources/blocks.ts';
import { changeFade, Glide } from './glide.ts';
import type { PartPlan, PlainPlan, RenderPlan, StageGains, VoicePlan } from './plan.ts';
import { quantumFrames } from './quantum.ts';
import { Tap, tapKey } from './tap.ts';

const reading = new Float64Array(quantumFrames);
const voiceLeft = new Float64Array(quantumFrames);
const voiceRight = new Float64Array(quantumFrames);
const plainScratch = new Float32Array(quantumFrames);

/** What a voice does: what it reads, and how much of it goes to each side. */
interface Layer {
  readonly tap: Tap;
  readonly left: number;
  readonly right: number;
  /** How far it has faded in over the layers under it, in frames. */
  step: number;
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
 * One voice. A change lays a new reading over the old one and fades it in; the next change may follow when that is a quarter
 * done, and of those that came meanwhile only the latest is taken. Fades that overlap by half add up to an even motion, so
 * that a dragged delay does not beat.
 */
class VoiceRun {
  readonly #fade: Float64Array;
  readonly #layers: Layer[];
  #waiting: Layer | null = null;
  gone = false;

  constructor(rateHz: number, plan: VoicePlan) {
    this.#fade = changeFade(rateHz, voiceChangeMs);
    // A voice that is new fades in from nothing.
    this.#layers = [{ tap: new Tap(plan), left: 0, right: 0, step: this.#fade.length }];
    this.aim(plan);
  }

  get #goal(): Layer {
    return this.#waiting ?? this.#layers[this.#layers.length - 1];
  }

  aim(plan: VoicePlan): void {
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

  /** Adds the voice to the sums of both sides. */
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

const sameStage = (a: StageGains, b: StageGains) =>
  a.ll === b.ll && a.lr === b.lr && a.rl === b.rl && a.rr === b.rr;
const samePlain = (a: PlainPlan, b: PlainPlan) =>
  a.source.key === b.source.key && a.left === b.left && a.right === b.right && a.level === b.level;

/** One part as it sounds: after its stage and level, before any mute, solo or listening mode. */
export class PartRun {
  readonly id: string;
  readonly left = new Float32Array(quantumFrames);
  readonly right = new Float32Array(quantumFrames);
  readonly plainLeft = new Float32Array(quantumFrames);
  readonly plainRight = new Float32Array(quantumFrames);
  readonly #rateHz: number;
  readonly #voices: VoiceRun[] = [];
  readonly #byId = new Map<string, VoiceRun>();
  readonly #stage: Glide<StageGains>;
  readonly #plain: Glide<PlainPlan>;
  readonly #sumLeft = new Float64Array(quantumFrames);
  readonly #sumRight = new Float64Array(quantumFrames);

  constructor(rateHz: number, plan: PartPlan) {
    this.id = plan.id;
    this.#rateHz = rateHz;
    this.#stage = new Glide(rateHz, plan.stage, sameStage);
    this.#plain = new Glide(rateHz, plan.plain, samePlain);
    this.aim(plan);
  }

  aim(plan: PartPlan): void {
    this.#stage.aim(plan.stage);
    this.#plain.aim(plan.plain);
    const wanted = new Set(plan.voices.map((voice) => voice.id));
    for (const voice of plan.voices) {
      const run = this.#byId.get(voice.id);
      if (run) {
        run.aim(voice);
      } else {
        const started = new VoiceRun(this.#rateHz, voice);
        this.#byId.set(voice.id, started);
        this.#voices.push(started);
      }
    }
    for (const [id, run] of this.#byId) if (!wanted.has(id)) run.leave();
  }

  settle(): void {
    this.#stage.settle();
    this.#plain.settle();
    for (const voice of this.#voices) voice.settle();
  }

  /** Drops voices that have faded out; not from within the sound. */
  sweep(): void {
    for (const [id, run] of this.#byId)
      if (run.finished) {
        this.#byId.delete(id);
        this.#voices.splice(this.#voices.indexOf(run), 1);
      }
  }

  render(store: BlockStore, frame: number): void {
    const left = this.#sumLeft.fill(0);
    const right = this.#sumRight.fill(0);
    for (const voice of this.#voices) voice.add(store, frame, left, right);
    const stage = this.#stage;
    const { from, to } = stage;
    if (stage.moving) {
      stage.begin();
      for (let n = 0; n < quantumFrames; n++) {
        const w = stage.weights[n];
        const l = left[n];
        const r = right[n];
        this.left[n] =
          (from.ll + (to.ll - from.ll) * w) * l + (from.lr + (to.lr - from.lr) * w) * r;
        this.right[n] =
          (from.rl + (to.rl - from.rl) * w) * l + (from.rr + (to.rr - from.rr) * w) * r;
      }
      stage.end();
    } else {
      for (let n = 0; n < quantumFrames; n++) {
        this.left[n] = to.ll * left[n] + to.lr * right[n];
        this.right[n] = to.rl * left[n] + to.rr * right[n];
      }
    }
  }

  /** The plain reference, into `plainLeft` and `plainRight`. */
  renderPlain(store: BlockStore, frame: number): void {
    const glide = this.#plain;
    const { from, to } = glide;
    store.read(to.source, frame, quantumFrames, plainScratch);
    if (glide.moving) {
      glide.begin();
      for (let n = 0; n < quantumFrames; n++) {
        const level = from.level + (to.level - from.level) * glide.weights[n];
        this.plainLeft[n] = plainScratch[n] * to.left * level;
        this.plainRight[n] = plainScratch[n] * to.right * level;
      }
      glide.end();
    } else {
      for (let n = 0; n < quantumFrames; n++) {
        this.plainLeft[n] = plainScratch[n] * to.left * to.level;
        this.plainRight[n] = plainScratch[n] * to.right * to.level;
      }
    }
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
