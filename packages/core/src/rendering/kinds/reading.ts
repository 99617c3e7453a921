import { voiceChangeMs } from '../../parameters/tables.ts';
import { changeFade } from '../glide.ts';
import type { StrandPlan } from '../plan.ts';
import { quantumFrames } from '../quantum.ts';
import { responseOf } from '../strand-response.ts';
import { Tap, tapKey } from '../tap.ts';
import { mapReach } from '../time-map.ts';
import type { Asset, NodeBase, NodeKind, NodeRun, RunContext, Side } from './kind.ts';

/** One reading of one source into both sides. */
export interface ReadingNode extends NodeBase {
  readonly kind: 'reading';
  readonly strand: StrandPlan;
}

const reading = new Float64Array(quantumFrames);

/** What a strand does: what it reads, and how much of it goes to each side. */
interface Layer {
  readonly tap: Tap;
  readonly left: number;
  readonly right: number;
  /** How far it has faded in over the layers under it, in frames. */
  step: number;
}

/** target += source · gain, over one quantum. */
function addScaled(source: Float64Array, gain: number, target: Side): void {
  if (gain === 0) return;
  const frames: typeof quantumFrames = 128;
  for (let n = 0; n < frames; n++) target[n] += source[n] * gain;
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
 * One reading of one source into both sides. A change lays a new reading over the old one and fades it in; the next change may follow when that is a quarter
 * done, and of those that came meanwhile only the latest is taken. Fades that overlap by half add up to an even motion, so
 * that a dragged delay does not beat.
 */
class ReadingRun implements NodeRun<ReadingNode> {
  readonly #context: RunContext;
  readonly #fade: Float64Array;
  readonly #layers: Layer[];
  #waiting: Layer | null = null;
  /** What it gave in the quantum in which it last went over to something else. */
  readonly #moved = [new Float64Array(quantumFrames), new Float64Array(quantumFrames)] as const;
  #pass = -1;

  constructor({ strand }: ReadingNode, context: RunContext) {
    this.#context = context;
    this.#fade = changeFade(context.rateHz, voiceChangeMs);
    const { left, right } = strand;
    this.#layers = [{ tap: new Tap(strand), left, right, step: this.#fade.length }];
  }

  get #goal(): Layer {
    return this.#waiting ?? this.#layers[this.#layers.length - 1];
  }

  aim({ strand }: ReadingNode): void {
    this.#change(tapKey(strand), () => new Tap(strand), strand.left, strand.right);
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

  add(left: Side, right: Side): void {
    const { store, frame, pass } = this.#context;
    const layers = this.#layers;
    if (pass === this.#pass) {
      // Another one reads it in the same quantum, in which its fades have gone on already.
      addScaled(this.#moved[0], 1, left);
      addScaled(this.#moved[1], 1, right);
      return;
    }
    if (layers.length === 1) {
      const layer = layers[0];
      if (layer.left === 0 && layer.right === 0) return;
      layer.tap.read(store, frame, reading);
      addScaled(reading, layer.left, left);
      addScaled(reading, layer.right, right);
      return;
    }
    this.#pass = pass;
    this.#move(this.#moved[0].fill(0), this.#moved[1].fill(0));
    addScaled(this.#moved[0], 1, left);
    addScaled(this.#moved[1], 1, right);
    this.#take();
  }

  /** Fades each layer in over those under it. */
  #move(left: Float64Array, right: Float64Array): void {
    const { store, frame } = this.#context;
    const layers = this.#layers;
    let read: Tap | null = null;
    for (let k = 0; k < layers.length; k++) {
      const layer = layers[k];
      if (layer.tap !== read) {
        layer.tap.read(store, frame, reading);
        read = layer.tap;
      }
      if (k === 0) {
        addScaled(reading, layer.left, left);
        addScaled(reading, layer.right, right);
        continue;
      }
      fadeOver(left, reading, layer.left, this.#fade, layer.step);
      fadeOver(right, reading, layer.right, this.#fade, layer.step);
      layer.step += quantumFrames;
    }
    // What lies under a layer that is all there is no longer heard.
    while (layers.length > 1 && layers[1].step >= this.#fade.length) layers.shift();
  }
}

const splicesKey = (key: string) => `splices/${key}`;
const driftKey = (key: string) => `drift/${key}`;

/** What stands for something big that travels by its key. */
const elsewhere = {} as never;

export const readingKind: NodeKind<ReadingNode> = {
  start: (node, _, context) => new ReadingRun(node, context),
  sources: ({ strand }) => [strand.source],
  reach: ({ strand }) => mapReach(strand, strand.source),
  memoryFrames: () => 0,
  latencyFrames: () => 0,
  response: ({ strand }, rateHz) => responseOf(strand, rateHz),
  pack: (node) => {
    const { tuning, drift } = node.strand;
    // What it is made of is the feeder's to know, who makes it.
    const { key, frames, block } = node.strand.source;
    const assets: Asset[] = [];
    if (tuning) assets.push({ key: splicesKey(tuning.key), value: tuning.splices });
    if (drift) assets.push({ key: driftKey(drift.key), value: drift.path });
    const strand = {
      ...node.strand,
      source: { key, frames, ...(block === undefined ? {} : { block }) },
      tuning: tuning && { ...tuning, splices: elsewhere },
      drift: drift && { ...drift, path: elsewhere },
    };
    return { node: { ...node, strand }, assets };
  },
  unpack: (node, find) => {
    const { tuning, drift } = node.strand;
    if (!tuning && !drift) return node;
    const strand = {
      ...node.strand,
      tuning: tuning && { ...tuning, splices: find(splicesKey(tuning.key)) as never },
      drift: drift && { ...drift, path: find(driftKey(drift.key)) as never },
    };
    return { ...node, strand };
  },
};
