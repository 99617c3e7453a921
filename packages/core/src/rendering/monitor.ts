import type { BlockStore } from '../sources/blocks.ts';
import { Glide } from './glide.ts';
import { Ears, type Listening } from './listening.ts';
import { noPlan, type RenderPlan } from './plan.ts';
import { quantumFrames } from './quantum.ts';
import { Renderer, type PartRun } from './renderer.ts';

/** How the song is listened to. None of it is in the document, and none of it is exported. */
export interface Monitoring {
  readonly listening: Listening;
  /** Where any part is soloed, only those are heard. */
  readonly solo: readonly string[];
  /** Parts heard plain, each at the linear gain that makes plain as loud as the image. */
  readonly plain: Readonly<Record<string, number>>;
  /** Linear gains of images that are only being tried, so that they are as loud as what they would replace. */
  readonly image: Readonly<Record<string, number>>;
  readonly bedHeard: boolean;
  /** Of all that is heard, linear; the last thing before the speakers. */
  readonly level: number;
}

export const plainMonitoring: Monitoring = {
  listening: 'stereo',
  solo: [],
  plain: {},
  image: {},
  bedHeard: true,
  level: 1,
};

interface PartGains {
  readonly image: number;
  readonly plain: number;
}

const sameGains = (a: PartGains, b: PartGains) => a.image === b.image && a.plain === b.plain;
const same = (a: unknown, b: unknown) => a === b;

/** Mixes what the renderer plays for the engineer's ears. The renderer's own buffers stay untouched. */
export class Monitor {
  readonly renderer: Renderer;
  readonly #store: BlockStore;
  readonly #rateHz: number;
  readonly #gains = new Map<string, Glide<PartGains>>();
  readonly #ears: Ears;
  readonly #level: Glide<number>;
  readonly #bed: Glide<number>;
  readonly #bedLeft = new Float32Array(quantumFrames);
  readonly #bedRight = new Float32Array(quantumFrames);
  #plan: RenderPlan = noPlan;
  #monitoring: Monitoring = plainMonitoring;
  readonly left = new Float32Array(quantumFrames);
  readonly right = new Float32Array(quantumFrames);

  constructor(rateHz: number, store: BlockStore) {
    this.#rateHz = rateHz;
    this.#store = store;
    this.renderer = new Renderer(rateHz, store);
    this.#ears = new Ears(rateHz);
    this.#level = new Glide<number>(rateHz, 1, same);
    this.#bed = new Glide<number>(rateHz, 0, same);
  }

  get plan(): RenderPlan {
    return this.#plan;
  }

  aim(plan: RenderPlan): void {
    this.#plan = plan;
    this.renderer.aim(plan);
    this.listen(this.#monitoring);
  }

  listen(monitoring: Monitoring): void {
    this.#monitoring = monitoring;
    this.#ears.aim(monitoring.listening);
    this.#level.aim(monitoring.level);
    this.#bed.aim(monitoring.bedHeard && this.#plan.bed ? this.#plan.bed.gain : 0);
    for (const id of this.#gains.keys())
      if (!this.#plan.parts.some((part) => part.id === id)) this.#gains.delete(id);
    for (const part of this.#plan.parts) {
      let glide = this.#gains.get(part.id);
      if (!glide) {
        // A part that is new fades in from nothing.
        glide = new Glide<PartGains>(this.#rateHz, { image: 0, plain: 0 }, sameGains);
        this.#gains.set(part.id, glide);
      }
      const { solo, plain, image } = monitoring;
      const heard = solo.length ? solo.includes(part.id) : !part.muted;
      const match = plain[part.id];
      glide.aim({
        image: heard && match === undefined ? (image[part.id] ?? 1) : 0,
        plain: heard && match !== undefined ? match : 0,
      });
    }
  }

  settle(): void {
    this.renderer.settle();
    this.#ears.settle();
    this.#level.settle();
    this.#bed.settle();
    for (const glide of this.#gains.values()) glide.settle();
  }

  /** Renders the quantum at `frame` into `left` and `right`. */
  render(frame: number): void {
    this.renderer.render(frame, true);
    this.left.fill(0);
    this.right.fill(0);
    for (const part of this.renderer.parts) this.#add(part);
    this.#addBed(frame);
    this.#hear();
  }

  #add(part: PartRun): void {
    const glide = this.#gains.get(part.id);
    if (!glide) return;
    const { from, to } = glide;
    const moving = glide.moving;
    if (!moving && to.image === 0 && to.plain === 0) return;
    glide.begin();
    for (let n = 0; n < quantumFrames; n++) {
      const w = moving ? glide.weights[n] : 1;
      const image = from.image + (to.image - from.image) * w;
      const plain = from.plain + (to.plain - from.plain) * w;
      this.left[n] += image * part.left[n] + plain * part.plainLeft[n];
      this.right[n] += image * part.right[n] + plain * part.plainRight[n];
    }
    glide.end();
  }

  #addBed(frame: number): void {
    const bed = this.#plan.bed;
    const glide = this.#bed;
    const { from, to } = glide;
    if (!bed || (!glide.moving && to === 0)) {
      glide.settle();
      return;
    }
    this.#store.read(bed.left, frame, quantumFrames, this.#bedLeft);
    this.#store.read(bed.right, frame, quantumFrames, this.#bedRight);
    const moving = glide.moving;
    glide.begin();
    for (let n = 0; n < quantumFrames; n++) {
      const level = from + (to - from) * (moving ? glide.weights[n] : 1);
      this.left[n] += level * this.#bedLeft[n];
      this.right[n] += level * this.#bedRight[n];
    }
    glide.end();
  }

  /** The listening mode, then the level. */
  #hear(): void {
    this.#ears.process(this.left, this.right);
    const glide = this.#level;
    const { from, to, moving } = glide;
    if (!moving && to === 1) return;
    glide.begin();
    for (let n = 0; n < quantumFrames; n++) {
      const level = from + (to - from) * (moving ? glide.weights[n] : 1);
      this.left[n] *= level;
      this.right[n] *= level;
    }
    glide.end();
  }
}
