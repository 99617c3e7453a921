import { Edges } from '../edges.ts';
import { Glide } from '../glide.ts';
import { Ears } from '../listening.ts';
import { plainMonitoring, type Monitoring } from '../monitoring.ts';
import { quantumFrames } from '../quantum.ts';
import { noReach, type NodeBase, type NodeKind, type NodeRun, type RunContext } from './kind.ts';
import type { ListenedRun } from './listened.ts';
import { OutputRun } from './output.ts';

/** All that is heard. Its inputs are what these name, in this order. */
export interface MonitorNode extends NodeBase {
  readonly kind: 'monitor';
  /** Parts as they are listened to, and whether each is heard by itself and not through a group. */
  readonly parts: readonly { readonly id: string; readonly direct: boolean }[];
  /** What else is told how it is listened to: the feeds of rooms, what rooms give back into groups, and groups within groups. */
  readonly told: readonly string[];
  /** Those that lie in no other. */
  readonly groups: readonly string[];
  /** What rooms give back. */
  readonly rooms: readonly string[];
  readonly beds: readonly string[];
}

/** The ids that a monitor takes in, as its fields name them. */
export function monitorInputs({
  parts,
  told,
  groups,
  rooms,
  beds,
}: Pick<MonitorNode, 'parts' | 'told' | 'groups' | 'rooms' | 'beds'>): string[] {
  return [...parts.map(({ id }) => id), ...told, ...groups, ...rooms, ...beds];
}

const same = (a: unknown, b: unknown) => a === b;

/** What is heard or left out as a whole: the mix, the rooms, the bed. */
class Gated {
  readonly edges: Edges;
  readonly gate: Glide<number>;
  readonly #left = new Float32Array(quantumFrames);
  readonly #right = new Float32Array(quantumFrames);

  constructor(context: RunContext) {
    this.edges = new Edges(context, []);
    this.gate = new Glide<number>(context.rateHz, 1, same);
  }

  settle(): void {
    this.edges.settle();
    this.gate.settle();
  }

  add(toLeft: Float32Array, toRight: Float32Array): void {
    const { from, to, moving } = this.gate;
    if (this.edges.size === 0 || (!moving && to === 0)) {
      this.gate.settle();
      return;
    }
    if (!moving && to === 1) {
      this.edges.add(toLeft, toRight);
      return;
    }
    const left = this.#left.fill(0);
    const right = this.#right.fill(0);
    this.edges.add(left, right);
    this.gate.begin();
    for (let n = 0; n < quantumFrames; n++) {
      const level = from + (to - from) * (moving ? this.gate.weights[n] : 1);
      toLeft[n] += level * left[n];
      toRight[n] += level * right[n];
    }
    this.gate.end();
  }
}

/** Mixes what plays for the engineer's ears. What it takes in stays untouched. */
export class MonitorRun extends OutputRun<MonitorNode> {
  readonly #ears: Ears;
  readonly #level: Glide<number>;
  readonly #mix: Gated;
  readonly #rooms: Gated;
  readonly #beds: Gated;
  #told: readonly ListenedRun[] = [];
  #groups: readonly ListenedRun[] = [];
  #monitoring: Monitoring = plainMonitoring;

  constructor(node: MonitorNode, inputs: readonly NodeRun[], context: RunContext) {
    super(context);
    this.#ears = new Ears(context.rateHz);
    this.#level = new Glide<number>(context.rateHz, 1, same);
    this.#mix = new Gated(context);
    this.#rooms = new Gated(context);
    this.#beds = new Gated(context);
    this.aim(node, inputs);
    this.settle();
  }

  /** The parts that are heard, in the order of the plan, as they would be exported. */
  parts: readonly { readonly id: string; readonly image: OutputRun<NodeBase> }[] = [];

  aim(node: MonitorNode, inputs: readonly NodeRun[]): void {
    const { parts, told, groups, rooms } = node;
    const listened = inputs.slice(0, parts.length) as unknown as ListenedRun[];
    const from = parts.length + told.length;
    this.#told = inputs.slice(0, from) as unknown as ListenedRun[];
    this.#groups = inputs.slice(from, from + groups.length) as unknown as ListenedRun[];
    this.parts = listened.map(({ partId, image }) => ({ id: partId ?? '', image }));
    this.#mix.edges.aim([...inputs.filter((_, n) => parts[n]?.direct), ...this.#groups]);
    const behind = from + groups.length;
    this.#rooms.edges.aim(inputs.slice(behind, behind + rooms.length));
    this.#beds.edges.aim(inputs.slice(behind + rooms.length));
    this.listen(this.#monitoring);
  }

  listen(monitoring: Monitoring): void {
    this.#monitoring = monitoring;
    this.#ears.aim(monitoring.listening);
    this.#level.aim(monitoring.level);
    const { mixHeard, roomsHeard, bedHeard, bedMatch } = monitoring;
    this.#mix.gate.aim(mixHeard ? 1 : 0);
    this.#rooms.gate.aim(mixHeard && roomsHeard ? 1 : 0);
    // Beside the mix it is heard, whether it lies under it or not.
    this.#beds.gate.aim(bedHeard || !mixHeard ? bedMatch : 0);
    for (const run of [...this.#told, ...this.#groups]) run.listen(monitoring);
  }

  settle(): void {
    this.#ears.settle();
    this.#level.settle();
    this.#mix.settle();
    this.#rooms.settle();
    this.#beds.settle();
  }

  protected make(): void {
    this.left.fill(0);
    this.right.fill(0);
    // What is watched and measured is made, heard or not.
    for (let k = 0; k < this.#told.length; k++) this.#told[k].render();
    this.#mix.add(this.left, this.right);
    this.#rooms.add(this.left, this.right);
    this.#beds.add(this.left, this.right);
    this.#hear();
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

export const monitorKind: NodeKind<MonitorNode> = {
  start: (node, inputs, context) => new MonitorRun(node, inputs, context),
  sources: () => [],
  reach: () => noReach,
  // The models of what it is heard through ring no longer than this, and are never exported.
  memoryFrames: () => 0,
  latencyFrames: () => 0,
};
