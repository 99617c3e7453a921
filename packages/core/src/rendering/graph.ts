import type { BlockStore } from '../sources/blocks.ts';
import { allKinds, type Kinds } from './kinds/kinds.ts';
import type { NodeBase, NodeRun, RunContext } from './kinds/kind.ts';
import { hushed, OutputRun } from './kinds/output.ts';
import { nodesUnder, type PlanGraph } from './plan.ts';
import { quantumFrames } from './quantum.ts';

interface Running {
  node: NodeBase;
  inputs: readonly NodeRun[];
  readonly run: NodeRun;
}

/**
 * The one engine: the worklet, the export, the command line and the tests all run it. Runs what lies under some roots of a plan
 * over blocks of PCM, quantum by quantum, each at any absolute frame that is a multiple of 128.
 */
export class Graph {
  readonly #kinds: Kinds;
  readonly #context: RunContext;
  #running = new Map<string, Running>();
  readonly #left = new Float64Array(quantumFrames);
  readonly #right = new Float64Array(quantumFrames);
  readonly #sum = {
    left: new Float32Array(quantumFrames),
    right: new Float32Array(quantumFrames),
  };

  constructor(rateHz: number, store: BlockStore, kinds: Kinds = allKinds) {
    this.#kinds = kinds;
    this.#context = { rateHz, store, frame: 0, pass: 0 };
  }

  /**
   * Takes up a plan; what differs from the one before glides. A node that goes is let fade out by what took it in, and is
   * forgotten here at once. The plan's rate is the graph's.
   */
  aim(plan: PlanGraph, ...rootIds: readonly string[]): void {
    const next = new Map<string, Running>();
    for (const node of nodesUnder(plan, ...rootIds)) {
      const inputs = node.inputs.flatMap((id) => next.get(id)?.run ?? []);
      const before = this.#running.get(node.id);
      if (before?.node.kind === node.kind) {
        const same = before.node === node && sameRuns(before.inputs, inputs);
        if (!same) before.run.aim(node, inputs);
        before.node = node;
        before.inputs = inputs;
        next.set(node.id, before);
      } else {
        const run = this.#kinds[node.kind].start(node, inputs, this.#context);
        next.set(node.id, { node, inputs, run });
      }
    }
    this.#running = next;
  }

  settle(): void {
    for (const { run } of this.#running.values()) run.settle();
  }

  run(id: string): NodeRun | undefined {
    return this.#running.get(id)?.run;
  }

  /** Goes on to the quantum at `frame` (a multiple of 128). */
  at(frame: number): void {
    this.#context.frame = frame;
    this.#context.pass++;
  }

  /** What a root gives in this quantum, in buffers that the next one is written over. */
  render(id: string): { readonly left: Float32Array; readonly right: Float32Array } {
    const run = this.run(id);
    if (run instanceof OutputRun) {
      run.render();
      return run;
    }
    const sumLeft = this.#left.fill(0);
    const sumRight = this.#right.fill(0);
    run?.add(sumLeft, sumRight);
    const { left, right } = this.#sum;
    for (let n = 0; n < quantumFrames; n++) {
      left[n] = hushed(sumLeft[n]);
      right[n] = hushed(sumRight[n]);
    }
    return this.#sum;
  }
}

function sameRuns(a: readonly NodeRun[], b: readonly NodeRun[]): boolean {
  return a.length === b.length && a.every((run, n) => run === b[n]);
}
