import { Edges } from '../edges.ts';
import {
  noReach,
  type NodeBase,
  type NodeKind,
  type NodeRun,
  type RunContext,
  type Side,
} from './kind.ts';

/** All that it takes in, together. */
export interface SumNode extends NodeBase {
  readonly kind: 'sum';
}

class SumRun implements NodeRun<SumNode> {
  readonly #edges: Edges;

  constructor(inputs: readonly NodeRun[], context: RunContext) {
    this.#edges = new Edges(context, inputs);
  }

  aim(_: SumNode, inputs: readonly NodeRun[]): void {
    this.#edges.aim(inputs);
  }

  settle(): void {
    this.#edges.settle();
  }

  add(left: Side, right: Side): void {
    this.#edges.add(left, right);
  }
}

export const sumKind: NodeKind<SumNode> = {
  start: (_, inputs, context) => new SumRun(inputs, context),
  sources: () => [],
  reach: () => noReach,
  memoryFrames: () => 0,
  latencyFrames: () => 0,
};
