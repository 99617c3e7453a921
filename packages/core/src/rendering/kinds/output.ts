import { quantumFrames } from '../quantum.ts';
import type { NodeBase, NodeRun, RunContext, Side } from './kind.ts';

/** Far under the last bit of any file: nothing, before it becomes one of the numbers that slow a processor down. */
const nothing = 1e-30;

export function hushed(value: number): number {
  return value < nothing && value > -nothing ? 0 : value;
}

/** A node whose quantum is kept as the floats that go into a file: several may read it, it is made once. */
export abstract class OutputRun<Node extends NodeBase> implements NodeRun<Node> {
  readonly left = new Float32Array(quantumFrames);
  readonly right = new Float32Array(quantumFrames);
  protected readonly context: RunContext;
  #pass = -1;

  constructor(context: RunContext) {
    this.context = context;
  }

  abstract aim(node: Node, inputs: readonly NodeRun[]): void;
  abstract settle(): void;
  /** Fills `left` and `right`. */
  protected abstract make(): void;

  /** Sees to it that `left` and `right` hold this quantum. */
  render(): void {
    if (this.#pass === this.context.pass) return;
    this.#pass = this.context.pass;
    this.make();
  }

  add(left: Side, right: Side): void {
    this.render();
    for (let n = 0; n < quantumFrames; n++) {
      left[n] += this.left[n];
      right[n] += this.right[n];
    }
  }
}
