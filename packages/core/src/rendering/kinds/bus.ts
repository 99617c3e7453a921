import {
  groupStageSections,
  isNeutralGroupStage,
  type GroupStage,
} from '../../image/group-stage.ts';
import { mostParts } from '../../song/song.ts';
import { Cascade } from '../../signal/cascade.ts';
import { filterMemory } from '../../signal/memory.ts';
import {
  isNeutralPreparation,
  preparationMemory,
  StereoPreparationRun,
  type Preparation,
} from '../../takes/preparation.ts';
import { Edges } from '../edges.ts';
import { Glide } from '../glide.ts';
import { quantumFrames } from '../quantum.ts';
import { noReach, type NodeBase, type NodeKind, type NodeRun, type RunContext } from './kind.ts';
import { hushed, OutputRun } from './output.ts';

/** What is done to several parts together: low cut, equaliser and compressor, then the stage. */
export interface BusNode extends NodeBase {
  readonly kind: 'bus';
  readonly bus: Bus;
}

export interface Bus {
  readonly preparation: Preparation;
  readonly stage: GroupStage;
}

export function isNeutralBus({ preparation, stage }: Bus): boolean {
  return isNeutralPreparation(preparation) && isNeutralGroupStage(stage);
}

/** One setting of it, with what it remembers. */
class BusRun {
  readonly key: string;
  readonly #preparation: StereoPreparationRun;
  readonly #difference: Cascade;
  readonly #width: number;
  readonly #side = new Float64Array(quantumFrames);

  constructor(bus: Bus, rateHz: number) {
    this.key = JSON.stringify(bus);
    this.#preparation = new StereoPreparationRun(bus.preparation, rateHz);
    this.#difference = new Cascade(groupStageSections(bus.stage, rateHz));
    this.#width = bus.stage.widthPercent / 100;
  }

  /** Goes on from what another one remembers, so that a value that is dragged does not begin anew with each step. */
  follow(other: BusRun): this {
    this.#preparation.state = other.#preparation.state;
    if (other.#difference.state.length === this.#difference.state.length)
      this.#difference.state = other.#difference.state;
    return this;
  }

  clear(): void {
    this.#preparation.clear();
    this.#difference.clear();
  }

  /** In place. */
  process(left: Float64Array, right: Float64Array): void {
    this.#preparation.process(left, right);
    const side = this.#side;
    for (let n = 0; n < quantumFrames; n++) side[n] = (left[n] - right[n]) / 2;
    this.#difference.process(side);
    for (let n = 0; n < quantumFrames; n++) {
      const middle = (left[n] + right[n]) / 2;
      const wide = this.#width * side[n];
      left[n] = middle + wide;
      right[n] = middle - wide;
    }
  }
}

const same = (a: BusRun, b: BusRun) => a.key === b.key;

class BusNodeRun extends OutputRun<BusNode> {
  readonly #edges: Edges;
  readonly #bus: Glide<BusRun>;
  readonly #left = new Float64Array(quantumFrames);
  readonly #right = new Float64Array(quantumFrames);
  readonly #fromLeft = new Float64Array(quantumFrames);
  readonly #fromRight = new Float64Array(quantumFrames);

  constructor(node: BusNode, inputs: readonly NodeRun[], context: RunContext) {
    super(context);
    this.#edges = new Edges(context, inputs);
    this.#bus = new Glide(context.rateHz, new BusRun(node.bus, context.rateHz), same);
  }

  aim({ bus }: BusNode, inputs: readonly NodeRun[]): void {
    this.#edges.aim(inputs);
    this.#bus.aim(new BusRun(bus, this.context.rateHz).follow(this.#bus.to));
  }

  /** After a jump it remembers nothing. */
  settle(): void {
    this.#edges.settle();
    this.#bus.settle();
    this.#bus.to.clear();
  }

  protected make(): void {
    const left = this.#left.fill(0);
    const right = this.#right.fill(0);
    this.#edges.add(left, right);
    const { from, to, moving, weights } = this.#bus;
    if (moving) {
      this.#fromLeft.set(left);
      this.#fromRight.set(right);
      from.process(this.#fromLeft, this.#fromRight);
    }
    to.process(left, right);
    this.#bus.begin();
    for (let n = 0; n < quantumFrames; n++) {
      const w = moving ? weights[n] : 1;
      this.left[n] = hushed(moving ? between(this.#fromLeft[n], left[n], w) : left[n]);
      this.right[n] = hushed(moving ? between(this.#fromRight[n], right[n], w) : right[n]);
    }
    this.#bus.end();
  }
}

const between = (from: number, to: number, w: number) => from + (to - from) * w;

export const busKind: NodeKind<BusNode> = {
  start: (node, inputs, context) => new BusNodeRun(node, inputs, context),
  sources: () => [],
  reach: () => noReach,
  memoryFrames: ({ bus: { preparation, stage } }, rateHz) => {
    const { thresholdDb, attackMs, releaseMs } = preparation.compressor;
    // Many parts together are louder than one take can be: from there it falls for so much longer.
    const louder =
      thresholdDb === null ? 0 : (Math.log(mostParts) * (attackMs + releaseMs) * rateHz) / 1000;
    return (
      preparationMemory(preparation, rateHz) +
      Math.ceil(louder) +
      filterMemory(groupStageSections(stage, rateHz))
    );
  },
  latencyFrames: () => 0,
};
