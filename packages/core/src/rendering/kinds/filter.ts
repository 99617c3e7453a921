import { Edges } from '../edges.ts';
import { Glide } from '../glide.ts';
import { quantumFrames } from '../quantum.ts';
import { sameValue, valueAt, type Value } from '../value.ts';
import { noReach, type NodeBase, type NodeKind, type NodeRun, type RunContext } from './kind.ts';
import { hushed, OutputRun } from './output.ts';

/** A high cut whose corner, or the peak at it, moves along the song. */
export interface FilterNode extends NodeBase {
  readonly kind: 'filter';
  readonly cut: Cut;
}

export interface Cut {
  readonly hz: Value;
  /** 0.707 is without a peak. */
  readonly q: Value;
}

export const sameCut = (a: Cut, b: Cut) => sameValue(a.hz, b.hz) && sameValue(a.q, b.q);

const { tan, PI, log, ceil, min } = Math;

/** No nearer to half the rate. */
const highestShare = 0.45;

/**
 * A low-pass of second order as a state-variable filter of trapezoidal integrators: its state is what it holds, whatever its corner is, so that this may move at any
 * speed (Zavalishin, The Art of VA Filter Design, 2012, chapter 4). Corner and damping go straight between the ends of each quantum.
 */
class MovingCut {
  readonly cut: Cut;
  readonly #rateHz: number;
  readonly #state = new Float64Array(4);

  constructor(cut: Cut, rateHz: number) {
    this.cut = cut;
    this.#rateHz = rateHz;
  }

  /** Goes on from what another one holds. */
  follow(other: MovingCut): this {
    this.#state.set(other.#state);
    return this;
  }

  clear(): void {
    this.#state.fill(0);
  }

  /** In place. */
  process(left: Float64Array, right: Float64Array, frame: number): void {
    const g = this.#turn(frame);
    const k = 1 / valueAt(this.cut.q, frame);
    const gStep = (this.#turn(frame + quantumFrames) - g) / quantumFrames;
    const kStep = (1 / valueAt(this.cut.q, frame + quantumFrames) - k) / quantumFrames;
    this.#side(left, 0, g, gStep, k, kStep);
    this.#side(right, 2, g, gStep, k, kStep);
  }

  #turn(frame: number): number {
    const hz = min(valueAt(this.cut.hz, frame), highestShare * this.#rateHz);
    return tan((PI * hz) / this.#rateHz);
  }

  #side(
    samples: Float64Array,
    at: number,
    from: number,
    step: number,
    damping: number,
    dampingStep: number,
  ): void {
    let first = this.#state[at];
    let second = this.#state[at + 1];
    for (let n = 0; n < quantumFrames; n++) {
      const g = from + step * n;
      const k = damping + dampingStep * n;
      const a = 1 / (1 + g * (g + k));
      const v3 = samples[n] - second;
      const v1 = a * (first + g * v3);
      const v2 = second + g * v1;
      first = 2 * v1 - first;
      second = 2 * v2 - second;
      samples[n] = v2;
    }
    this.#state[at] = hushed(first);
    this.#state[at + 1] = hushed(second);
  }
}

const same = (a: MovingCut, b: MovingCut) => sameCut(a.cut, b.cut);

class FilterRun extends OutputRun<FilterNode> {
  readonly #edges: Edges;
  readonly #left = new Float64Array(quantumFrames);
  readonly #right = new Float64Array(quantumFrames);
  readonly #fromLeft = new Float64Array(quantumFrames);
  readonly #fromRight = new Float64Array(quantumFrames);
  readonly #cut: Glide<MovingCut>;

  constructor({ cut }: FilterNode, inputs: readonly NodeRun[], context: RunContext) {
    super(context);
    this.#edges = new Edges(context, inputs);
    this.#cut = new Glide(context.rateHz, new MovingCut(cut, context.rateHz), same);
  }

  aim({ cut }: FilterNode, inputs: readonly NodeRun[]): void {
    this.#edges.aim(inputs);
    this.#cut.aim(new MovingCut(cut, this.context.rateHz).follow(this.#cut.to));
  }

  settle(): void {
    this.#edges.settle();
    this.#cut.settle();
    this.#cut.to.clear();
  }

  protected make(): void {
    const { frame } = this.context;
    const left = this.#left.fill(0);
    const right = this.#right.fill(0);
    this.#edges.add(left, right);
    const { from, to, moving, weights } = this.#cut;
    if (moving) {
      this.#fromLeft.set(left);
      this.#fromRight.set(right);
      from.process(this.#fromLeft, this.#fromRight, frame);
    }
    to.process(left, right, frame);
    this.#cut.begin();
    for (let n = 0; n < quantumFrames; n++) {
      const w = moving ? weights[n] : 1;
      const [l, r] = [this.#fromLeft[n], this.#fromRight[n]];
      this.left[n] = hushed(moving ? l + (left[n] - l) * w : left[n]);
      this.right[n] = hushed(moving ? r + (right[n] - r) * w : right[n]);
    }
    this.#cut.end();
  }
}

/** The lowest and sharpest that a curve comes to decides how long it remembers: points and cycles at their ends. */
function slowest(value: Value, pick: (...values: number[]) => number): number {
  if (typeof value === 'number') return value;
  const { curve, rateHz } = value;
  if (curve.kind === 'points')
    return pick(...curve.points.map(({ atS }) => valueAt(value, atS * rateHz)));
  // A cycle goes from nothing to its depth: one of a second begins at one of its ends and reaches the other halfway.
  const whole = {
    ...value,
    curve: { ...curve, rate: { value: 1, unit: 'Hz' as const }, phasePercent: 0 },
  };
  return pick(valueAt(whole, 0), valueAt(whole, rateHz / 2));
}

export const filterKind: NodeKind<FilterNode> = {
  start: (node, inputs, context) => new FilterRun(node, inputs, context),
  sources: () => [],
  reach: () => noReach,
  memoryFrames: ({ cut }, rateHz) => {
    const hz = slowest(cut.hz, min);
    const q = slowest(cut.q, Math.max);
    // An envelope falls by exp(−π·hz·t/q), and never slower than its lower pole where it does not ring.
    return ceil((2 * log(1e6) * Math.max(q, 1) * rateHz) / (PI * hz));
  },
  latencyFrames: () => 0,
};
