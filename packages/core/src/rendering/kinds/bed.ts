import { Glide } from '../glide.ts';
import type { BedPlan } from '../plan.ts';
import { quantumFrames } from '../quantum.ts';
import {
  noReach,
  type NodeBase,
  type NodeKind,
  type NodeRun,
  type RunContext,
  type Side,
} from './kind.ts';

/** A rough mix, as it was recorded. */
export interface BedNode extends NodeBase {
  readonly kind: 'bed';
  readonly bed: BedPlan;
}

const sameGain = (a: number, b: number) => a === b;
const ownLeft = new Float32Array(quantumFrames);
const ownRight = new Float32Array(quantumFrames);

class BedRun implements NodeRun<BedNode> {
  readonly #context: RunContext;
  readonly #bed: BedPlan;
  readonly #gain: Glide<number>;

  constructor({ bed }: BedNode, context: RunContext) {
    this.#context = context;
    this.#bed = bed;
    this.#gain = new Glide<number>(context.rateHz, bed.gain, sameGain);
  }

  /** What it reads stays: another bed is another node. */
  aim({ bed }: BedNode): void {
    this.#gain.aim(bed.gain);
  }

  settle(): void {
    this.#gain.settle();
  }

  add(left: Side, right: Side): void {
    const { store, frame } = this.#context;
    const glide = this.#gain;
    const { from, to, moving } = glide;
    store.read(this.#bed.left, frame, quantumFrames, ownLeft);
    store.read(this.#bed.right, frame, quantumFrames, ownRight);
    glide.begin();
    for (let n = 0; n < quantumFrames; n++) {
      const level = from + (to - from) * (moving ? glide.weights[n] : 1);
      left[n] += level * ownLeft[n];
      right[n] += level * ownRight[n];
    }
    glide.end();
  }
}

export const bedKind: NodeKind<BedNode> = {
  start: (node, _, context) => new BedRun(node, context),
  sources: ({ bed }) => [bed.left, bed.right],
  reach: () => noReach,
  memoryFrames: () => 0,
  latencyFrames: () => 0,
};
