import { Edges } from '../edges.ts';
import { Glide } from '../glide.ts';
import { quantumFrames } from '../quantum.ts';
import { sameValue, valueAt, type Value } from '../value.ts';
import { noReach, type NodeBase, type NodeKind, type NodeRun, type RunContext } from './kind.ts';
import { hushed, OutputRun } from './output.ts';

/** What it takes in, at a gain that may move along the song. */
export interface GainNode extends NodeBase {
  readonly kind: 'gain';
  /** Linear. */
  readonly gain: Value;
}

class GainRun extends OutputRun<GainNode> {
  readonly #edges: Edges;
  readonly #sumLeft = new Float64Array(quantumFrames);
  readonly #sumRight = new Float64Array(quantumFrames);
  readonly #gain: Glide<Value>;

  constructor({ gain }: GainNode, inputs: readonly NodeRun[], context: RunContext) {
    super(context);
    this.#edges = new Edges(context, inputs);
    this.#gain = new Glide(context.rateHz, gain, sameValue);
  }

  aim({ gain }: GainNode, inputs: readonly NodeRun[]): void {
    this.#gain.aim(gain);
    this.#edges.aim(inputs);
  }

  settle(): void {
    this.#gain.settle();
    this.#edges.settle();
  }

  protected make(): void {
    const only = this.#gain.moving || this.#gain.to !== 1 ? null : this.#edges.only;
    if (only instanceof OutputRun) {
      // Nothing is done to it: most parts have no moves.
      only.render();
      this.left.set(only.left);
      this.right.set(only.right);
      return;
    }
    this.#edges.add(this.#sumLeft.fill(0), this.#sumRight.fill(0));
    const glide = this.#gain;
    const { from, to, moving } = glide;
    const { frame } = this.context;
    glide.begin();
    // Worked out at the ends of the quantum, and straight between.
    const fromHere = valueAt(from, frame);
    const fromStep = (valueAt(from, frame + quantumFrames) - fromHere) / quantumFrames;
    const toHere = valueAt(to, frame);
    const toStep = (valueAt(to, frame + quantumFrames) - toHere) / quantumFrames;
    for (let n = 0; n < quantumFrames; n++) {
      const goal = toHere + toStep * n;
      const before = fromHere + fromStep * n;
      const level = moving ? before + (goal - before) * glide.weights[n] : goal;
      this.left[n] = hushed(this.#sumLeft[n] * level);
      this.right[n] = hushed(this.#sumRight[n] * level);
    }
    glide.end();
  }
}

export const gainKind: NodeKind<GainNode> = {
  start: (node, inputs, context) => new GainRun(node, inputs, context),
  sources: () => [],
  reach: () => noReach,
  memoryFrames: () => 0,
  latencyFrames: () => 0,
};
