import { Glide } from './glide.ts';
import type { NodeRun, RunContext, Side } from './kinds/kind.ts';
import { quantumFrames } from './quantum.ts';

const same = (a: number, b: number) => a === b;

interface Edge {
  readonly run: NodeRun;
  /** 1 while it is taken in. */
  readonly gate: Glide<number>;
}

/**
 * What a node takes in. What comes fades in, what goes fades out in 20 ms and is let go of then: nothing that plays is cut
 * off. A reading that sounds as it should is added as it is.
 */
export class Edges {
  readonly #context: RunContext;
  readonly #edges: Edge[] = [];
  readonly #left = new Float64Array(quantumFrames);
  readonly #right = new Float64Array(quantumFrames);

  constructor(context: RunContext, inputs: readonly NodeRun[]) {
    this.#context = context;
    for (const run of inputs) this.#edges.push(this.#edge(run, 1));
  }

  #edge(run: NodeRun, gate: number): Edge {
    return { run, gate: new Glide<number>(this.#context.rateHz, gate, same) };
  }

  aim(inputs: readonly NodeRun[]): void {
    this.#sweep();
    for (const { run, gate } of this.#edges) gate.aim(inputs.includes(run) ? 1 : 0);
    for (const run of inputs) {
      if (this.#edges.some((edge) => edge.run === run)) continue;
      const edge = this.#edge(run, 0);
      edge.gate.aim(1);
      this.#edges.push(edge);
    }
  }

  settle(): void {
    for (const { gate } of this.#edges) gate.settle();
    this.#sweep();
  }

  /** Lets go of what has faded out; not from within the sound. */
  #sweep(): void {
    const gone = ({ gate }: Edge) => !gate.moving && gate.to === 0;
    for (let n = this.#edges.length - 1; n >= 0; n--)
      if (gone(this.#edges[n])) this.#edges.splice(n, 1);
  }

  /** What is taken in where that is one alone, as it is; null otherwise. */
  get only(): NodeRun | null {
    if (this.#edges.length !== 1) return null;
    const [{ run, gate }] = this.#edges;
    return !gate.moving && gate.to === 1 ? run : null;
  }

  /** How many are taken in, those included that fade out. */
  get size(): number {
    return this.#edges.length;
  }

  add(toLeft: Side, toRight: Side): void {
    for (let k = 0; k < this.#edges.length; k++) {
      const { run, gate } = this.#edges[k];
      if (!gate.moving) {
        if (gate.to === 1) run.add(toLeft, toRight);
        continue;
      }
      const { from, to } = gate;
      const left = this.#left.fill(0);
      const right = this.#right.fill(0);
      run.add(left, right);
      gate.begin();
      for (let n = 0; n < quantumFrames; n++) {
        const open = from + (to - from) * gate.weights[n];
        toLeft[n] += open * left[n];
        toRight[n] += open * right[n];
      }
      gate.end();
    }
  }
}
