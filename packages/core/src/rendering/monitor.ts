import type { BlockStore } from '../sources/blocks.ts';
import { Graph } from './graph.ts';
import type { MonitorRun } from './kinds/monitor.ts';
import { plainMonitoring, type Monitoring } from './monitoring.ts';
import { noPlan, roots, type PlanGraph } from './plan.ts';
import { quantumFrames } from './quantum.ts';

export { plainMonitoring, type Monitoring } from './monitoring.ts';

const nobody: MonitorRun['parts'] = [];

/** Runs all that is heard of a plan. */
export class Monitor {
  readonly #graph: Graph;
  #plan: PlanGraph = noPlan;
  #monitoring: Monitoring = plainMonitoring;
  left: Float32Array = new Float32Array(quantumFrames);
  right: Float32Array = new Float32Array(quantumFrames);

  constructor(rateHz: number, store: BlockStore) {
    this.#graph = new Graph(rateHz, store);
  }

  get plan(): PlanGraph {
    return this.#plan;
  }

  get #heard(): MonitorRun | undefined {
    return this.#graph.run(roots.heard) as MonitorRun | undefined;
  }

  /** The parts as they would be exported, in the order of the plan. */
  get parts(): MonitorRun['parts'] {
    return this.#heard?.parts ?? nobody;
  }

  aim(plan: PlanGraph): void {
    this.#plan = plan;
    this.#graph.aim(plan, roots.heard);
    this.#heard?.listen(this.#monitoring);
  }

  listen(monitoring: Monitoring): void {
    this.#monitoring = monitoring;
    this.#heard?.listen(monitoring);
  }

  settle(): void {
    this.#graph.settle();
  }

  /** Renders the quantum at `frame`; `left` and `right` hold it until the next one. */
  render(frame: number): void {
    this.#graph.at(frame);
    ({ left: this.left, right: this.right } = this.#graph.render(roots.heard));
  }
}
