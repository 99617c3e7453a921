import { voiceChangeMs } from '../../parameters/tables.ts';
import { Edges } from '../edges.ts';
import { Glide } from '../glide.ts';
import { Ears } from '../listening.ts';
import { plainMonitoring, type Monitoring } from '../monitoring.ts';
import { quantumFrames } from '../quantum.ts';
import { sameValue, valueAt, type Value } from '../value.ts';
import { noReach, type NodeBase, type NodeKind, type NodeRun, type RunContext } from './kind.ts';
import { OutputRun } from './output.ts';

/** A part for the ears: two of the inputs, of which one is heard. */
export interface MonitoredPart {
  readonly id: string;
  readonly image: string;
  readonly plain: string;
  readonly muted: boolean;
  /** Of its group, linear. */
  readonly groupGain: Value;
}

/** All that is heard. Its inputs are image and plain of each part, in order, and then the bed if there is one. */
export interface MonitorNode extends NodeBase {
  readonly kind: 'monitor';
  readonly parts: readonly MonitoredPart[];
}

interface Gains {
  readonly image: number;
  readonly plain: number;
  readonly group: Value;
}

interface Row {
  readonly id: string;
  readonly image: OutputRun<NodeBase>;
  readonly plain: OutputRun<NodeBase>;
  readonly gains: Glide<Gains>;
}

const sameGains = (a: Gains, b: Gains) =>
  a.image === b.image && a.plain === b.plain && sameValue(a.group, b.group);
const same = (a: unknown, b: unknown) => a === b;
const silent: Gains = { image: 0, plain: 0, group: 1 };

/** Mixes what plays for the engineer's ears. What it takes in stays untouched. */
export class MonitorRun extends OutputRun<MonitorNode> {
  readonly #ears: Ears;
  readonly #level: Glide<number>;
  readonly #bed: Glide<number>;
  readonly #beds: Edges;
  readonly #bedLeft = new Float32Array(quantumFrames);
  readonly #bedRight = new Float32Array(quantumFrames);
  /** In the order of the plan; those that fade out come last. */
  #rows: Row[] = [];
  #node: MonitorNode;
  #monitoring: Monitoring = plainMonitoring;

  constructor(node: MonitorNode, inputs: readonly NodeRun[], context: RunContext) {
    super(context);
    this.#node = node;
    this.#ears = new Ears(context.rateHz);
    this.#level = new Glide<number>(context.rateHz, 1, same);
    this.#bed = new Glide<number>(context.rateHz, 1, same);
    this.#beds = new Edges(context, []);
    this.aim(node, inputs);
    this.settle();
  }

  /** The parts that are heard, in the order of the plan, as they would be exported. */
  parts: readonly Pick<Row, 'id' | 'image'>[] = [];

  aim(node: MonitorNode, inputs: readonly NodeRun[]): void {
    this.#node = node;
    const before = this.#rows;
    const rows = node.parts.map(({ id }, n): Row => {
      const image = inputs[2 * n] as OutputRun<NodeBase>;
      const plain = inputs[2 * n + 1] as OutputRun<NodeBase>;
      const known = before.find(
        (row) => row.id === id && row.image === image && row.plain === plain,
      );
      // A part that is new fades in from nothing.
      return (
        known ?? {
          id,
          image,
          plain,
          gains: new Glide(this.context.rateHz, silent, sameGains, voiceChangeMs),
        }
      );
    });
    const leaving = before.filter((row) => !rows.includes(row) && !isSilent(row));
    for (const { gains } of leaving) gains.aim({ ...silent, group: gains.goal.group });
    this.#rows = [...rows, ...leaving];
    this.parts = rows;
    this.#beds.aim(inputs.slice(2 * node.parts.length));
    this.listen(this.#monitoring);
  }

  listen(monitoring: Monitoring): void {
    this.#monitoring = monitoring;
    this.#ears.aim(monitoring.listening);
    this.#level.aim(monitoring.level);
    this.#bed.aim(monitoring.bedHeard ? 1 : 0);
    const { solo, plain, image } = monitoring;
    for (const [n, { id, muted, groupGain }] of this.#node.parts.entries()) {
      const heard = solo.length ? solo.includes(id) : !muted;
      const match = plain[id];
      this.#rows[n].gains.aim({
        image: heard && match === undefined ? (image[id] ?? 1) : 0,
        plain: heard && match !== undefined ? match : 0,
        group: groupGain,
      });
    }
  }

  settle(): void {
    this.#ears.settle();
    this.#level.settle();
    this.#bed.settle();
    this.#beds.settle();
    for (const { gains } of this.#rows) gains.settle();
    this.#rows = this.#rows.slice(0, this.#node.parts.length);
  }

  protected make(): void {
    this.left.fill(0);
    this.right.fill(0);
    for (let k = 0; k < this.#rows.length; k++) {
      const row = this.#rows[k];
      // One that goes and has faded out is read no more: its blocks are no longer brought.
      if (k < this.parts.length || !isSilent(row)) this.#add(row);
    }
    this.#addBed();
    this.#hear();
  }

  #add({ image, plain, gains: glide }: Row): void {
    const { from, to, moving } = glide;
    // What is watched and measured is the image, whether it is heard or not.
    image.render();
    if (!moving && to.image === 0 && to.plain === 0) return;
    const plainHeard = to.plain !== 0 || (moving && from.plain !== 0);
    if (plainHeard) plain.render();
    glide.begin();
    const { frame } = this.context;
    const group = valueAt(to.group, frame);
    const groupStep = (valueAt(to.group, frame + quantumFrames) - group) / quantumFrames;
    const fromGroup = valueAt(from.group, frame);
    const fromStep = (valueAt(from.group, frame + quantumFrames) - fromGroup) / quantumFrames;
    for (let n = 0; n < quantumFrames; n++) {
      const w = moving ? glide.weights[n] : 1;
      const before = fromGroup + fromStep * n;
      const level = before + (group + groupStep * n - before) * w;
      const imageGain = between(from.image, to.image, w) * level;
      const plainGain = (from.plain + (to.plain - from.plain) * w) * level;
      if (plainHeard) {
        this.left[n] += imageGain * image.left[n] + plainGain * plain.left[n];
        this.right[n] += imageGain * image.right[n] + plainGain * plain.right[n];
      } else {
        this.left[n] += imageGain * image.left[n];
        this.right[n] += imageGain * image.right[n];
      }
    }
    glide.end();
  }

  #addBed(): void {
    const glide = this.#bed;
    const { from, to, moving } = glide;
    if (this.#beds.size === 0 || (!moving && to === 0)) {
      glide.settle();
      return;
    }
    if (!moving && to === 1) {
      this.#beds.add(this.left, this.right);
      return;
    }
    const left = this.#bedLeft.fill(0);
    const right = this.#bedRight.fill(0);
    this.#beds.add(left, right);
    glide.begin();
    for (let n = 0; n < quantumFrames; n++) {
      const level = from + (to - from) * (moving ? glide.weights[n] : 1);
      this.left[n] += level * left[n];
      this.right[n] += level * right[n];
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

/**
 * From one gain of an image to another, as its sound goes over from one state to the other: states that are matched are as loud as one over
 * their gains, and that goes over evenly, so that their product stands still.
 */
function between(from: number, to: number, w: number): number {
  if (from === to) return to;
  return from > 0 && to > 0 ? 1 / (1 / from + (1 / to - 1 / from) * w) : from + (to - from) * w;
}

function isSilent({ gains }: Row): boolean {
  return !gains.moving && gains.to.image === 0 && gains.to.plain === 0;
}

export const monitorKind: NodeKind<MonitorNode> = {
  start: (node, inputs, context) => new MonitorRun(node, inputs, context),
  sources: () => [],
  reach: () => noReach,
  // The models of what it is heard through ring no longer than this, and are never exported.
  memoryFrames: () => 0,
  latencyFrames: () => 0,
};
