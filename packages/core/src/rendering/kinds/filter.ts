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
 * speed (Zavalishin, The Art of VA Filter Design, 2012, chapter 4). Corner and damping go straight between the ends of each quantum; what is set anew is
 * gone over to by them, too, and the state goes on.
 */
class FilterRun extends OutputRun<FilterNode> {
  readonly #edges: Edges;
  readonly #sumLeft = new Float64Array(quantumFrames);
  readonly #sumRight = new Float64Array(quantumFrames);
  readonly #cut: Glide<Cut>;
  /** Of both integrators, of the left and of the right side. */
  readonly #state = new Float64Array(4);

  constructor({ cut }: FilterNode, inputs: readonly NodeRun[], context: RunContext) {
    super(context);
    this.#edges = new Edges(context, inputs);
    this.#cut = new Glide(context.rateHz, cut, sameCut);
  }

  aim({ cut }: FilterNode, inputs: readonly NodeRun[]): void {
    this.#edges.aim(inputs);
    this.#cut.aim(cut);
  }

  settle(): void {
    this.#edges.settle();
    this.#cut.settle();
    this.#state.fill(0);
  }

  protected make(): void {
    const { frame } = this.context;
    this.#edges.add(this.#sumLeft.fill(0), this.#sumRight.fill(0));
    const glide = this.#cut;
    const { from, to, moving, weights } = glide;
    glide.begin();
    const first = moving ? weights[0] : 1;
    const last = moving ? weights[quantumFrames - 1] : 1;
    const next = frame + quantumFrames;
    const g = between(this.#turn(from, frame), this.#turn(to, frame), first);
    const gEnd = between(this.#turn(from, next), this.#turn(to, next), last);
    const k = between(damping(from, frame), damping(to, frame), first);
    const kEnd = between(damping(from, next), damping(to, next), last);
    const gStep = (gEnd - g) / quantumFrames;
    const kStep = (kEnd - k) / quantumFrames;
    this.#side(this.#sumLeft, this.left, 0, g, gStep, k, kStep);
    this.#side(this.#sumRight, this.right, 2, g, gStep, k, kStep);
    glide.end();
  }

  #turn({ hz }: Cut, frame: number): number {
    const { rateHz } = this.context;
    return tan((PI * min(valueAt(hz, frame), highestShare * rateHz)) / rateHz);
  }

  #side(
    input: Float64Array,
    output: Float32Array,
    at: number,
    gFrom: number,
    gStep: number,
    kFrom: number,
    kStep: number,
  ): void {
    let first = this.#state[at];
    let second = this.#state[at + 1];
    for (let n = 0; n < quantumFrames; n++) {
      const g = gFrom + gStep * n;
      const k = kFrom + kStep * n;
      const a = 1 / (1 + g * (g + k));
      const v1 = a * (first + g * (input[n] - second));
      const v2 = second + g * v1;
      first = 2 * v1 - first;
      second = 2 * v2 - second;
      output[n] = hushed(v2);
    }
    this.#state[at] = hushed(first);
    this.#state[at + 1] = hushed(second);
  }
}

const damping = ({ q }: Cut, frame: number) => 1 / valueAt(q, frame);
const between = (from: number, to: number, w: number) => from + (to - from) * w;

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
