import { sideGain, type PanLaw } from '../../voices/pan-law.ts';
import { Edges } from '../edges.ts';
import { Glide } from '../glide.ts';
import { quantumFrames } from '../quantum.ts';
import { sameValue, valueAt, type MovingValue } from '../value.ts';
import { noReach, type NodeBase, type NodeKind, type NodeRun, type RunContext } from './kind.ts';
import { hushed, OutputRun } from './output.ts';

/** What of a voice is placed: all of it, or what of it goes to both sides alike, or to each with the other polarity. */
export type PlacedAs = 'whole' | 'middle' | 'difference';

/** A voice whose place moves: what it takes in, the same on both sides, goes to where it is. */
export interface PlacedNode extends NodeBase {
  readonly kind: 'placed';
  readonly place: MovingValue;
  readonly law: PanLaw;
  readonly as: PlacedAs;
}

type Placed = Pick<PlacedNode, 'place' | 'law' | 'as'>;

export const samePlaced = (a: Placed, b: Placed) =>
  a.law === b.law && a.as === b.as && sameValue(a.place, b.place);

const fromLeft = new Float64Array(quantumFrames);
const fromRight = new Float64Array(quantumFrames);
const toLeft = new Float64Array(quantumFrames);
const toRight = new Float64Array(quantumFrames);

/** The gains of both sides, frame by frame: the place goes straight between the ends of the quantum, the law is kept in all of it. */
function fillGains(placed: Placed, frame: number, left: Float64Array, right: Float64Array): void {
  const { place, law, as } = placed;
  const here = valueAt(place, frame);
  const step = (valueAt(place, frame + quantumFrames) - here) / quantumFrames;
  for (let n = 0; n < quantumFrames; n++) {
    const at = here + step * n;
    const l = sideGain(-at, law);
    const r = sideGain(at, law);
    left[n] = as === 'whole' ? l : as === 'middle' ? (l + r) / 2 : (l - r) / 2;
    right[n] = as === 'whole' ? r : as === 'middle' ? (l + r) / 2 : (r - l) / 2;
  }
}

class PlacedRun extends OutputRun<PlacedNode> {
  readonly #edges: Edges;
  readonly #sumLeft = new Float64Array(quantumFrames);
  readonly #sumRight = new Float64Array(quantumFrames);
  readonly #placed: Glide<Placed>;

  constructor(node: PlacedNode, inputs: readonly NodeRun[], context: RunContext) {
    super(context);
    this.#edges = new Edges(context, inputs);
    this.#placed = new Glide<Placed>(context.rateHz, node, samePlaced);
  }

  aim(node: PlacedNode, inputs: readonly NodeRun[]): void {
    this.#placed.aim(node);
    this.#edges.aim(inputs);
  }

  settle(): void {
    this.#placed.settle();
    this.#edges.settle();
  }

  protected make(): void {
    const { frame } = this.context;
    this.#edges.add(this.#sumLeft.fill(0), this.#sumRight.fill(0));
    const glide = this.#placed;
    const { from, to, moving, weights } = glide;
    glide.begin();
    fillGains(to, frame, toLeft, toRight);
    if (moving) fillGains(from, frame, fromLeft, fromRight);
    for (let n = 0; n < quantumFrames; n++) {
      const w = moving ? weights[n] : 1;
      const left = moving ? fromLeft[n] + (toLeft[n] - fromLeft[n]) * w : toLeft[n];
      const right = moving ? fromRight[n] + (toRight[n] - fromRight[n]) * w : toRight[n];
      this.left[n] = hushed(this.#sumLeft[n] * left);
      this.right[n] = hushed(this.#sumRight[n] * right);
    }
    glide.end();
  }
}

export const placedKind: NodeKind<PlacedNode> = {
  start: (node, inputs, context) => new PlacedRun(node, inputs, context),
  sources: () => [],
  reach: () => noReach,
  memoryFrames: () => 0,
  latencyFrames: () => 0,
};
