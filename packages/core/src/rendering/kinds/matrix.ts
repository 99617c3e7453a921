import type { BlockStore } from '../../sources/blocks.ts';
import { Edges } from '../edges.ts';
import { Glide } from '../glide.ts';
import type { StageGains, StagePlan } from '../plan.ts';
import { quantumFrames } from '../quantum.ts';
import { sameValue, valueAt, type MovingValue } from '../value.ts';
import { noReach, type NodeBase, type NodeKind, type NodeRun, type RunContext } from './kind.ts';
import { hushed, OutputRun } from './output.ts';

/** A stage: both sides out of both sides, and where it opens with the level. */
export interface MatrixNode extends NodeBase {
  readonly kind: 'matrix';
  readonly stage: StagePlan;
  /** In the place of the stage's own, in %, where it moves along the song; null where it stands. */
  readonly width: MovingValue | null;
}

type Matrix = Pick<MatrixNode, 'stage' | 'width'>;

const sameGains = (a: StageGains, b: StageGains) =>
  a.ll === b.ll && a.lr === b.lr && a.rl === b.rl && a.rr === b.rr;
const sameSides = (a: StagePlan['sides'], b: StagePlan['sides']) =>
  a.left === b.left && a.right === b.right;

export function sameMatrix(
  { stage: a, width }: Matrix,
  { stage: b, width: other }: Matrix,
): boolean {
  return (
    sameGains(a.open, b.open) &&
    sameGains(a.closed, b.closed) &&
    a.opening?.key === b.opening?.key &&
    sameSides(a.sides, b.sides) &&
    (width === null || other === null ? width === other : sameValue(width, other))
  );
}

/** How far a stage is open, frame by frame. */
function readOpening(
  store: BlockStore,
  { opening }: StagePlan,
  frame: number,
  target: Float32Array,
): void {
  if (opening) store.read(opening, frame, quantumFrames, target);
  else target.fill(1);
}

/** What a stage gives of both sides: near and far, frame by frame, and what each side gets after them. */
class Opened {
  readonly #open = new Float32Array(quantumFrames);
  readonly ll = new Float64Array(quantumFrames);
  readonly lr = new Float64Array(quantumFrames);
  readonly rl = new Float64Array(quantumFrames);
  readonly rr = new Float64Array(quantumFrames);

  read({ stage, width }: Matrix, { store, frame }: RunContext): void {
    const open = this.#open;
    readOpening(store, stage, frame, open);
    if (width) this.#readWidth(stage, width, frame);
    else this.#readStill(stage);
  }

  #readStill({ open, closed }: StagePlan): void {
    for (let n = 0; n < quantumFrames; n++) {
      const e = this.#open[n];
      this.ll[n] = closed.ll + (open.ll - closed.ll) * e;
      this.lr[n] = closed.lr + (open.lr - closed.lr) * e;
      this.rl[n] = closed.rl + (open.rl - closed.rl) * e;
      this.rr[n] = closed.rr + (open.rr - closed.rr) * e;
    }
  }

  /** The width at the ends of the quantum, and straight between. */
  #readWidth({ opening, sides }: StagePlan, width: MovingValue, frame: number): void {
    const here = valueAt(width, frame) / 100;
    const step = (valueAt(width, frame + quantumFrames) / 100 - here) / quantumFrames;
    const { left, right } = sides;
    for (let n = 0; n < quantumFrames; n++) {
      const wide = here + step * n;
      const now = opening ? 1 + (wide - 1) * this.#open[n] : wide;
      const near = (1 + now) / 2;
      const far = (1 - now) / 2;
      this.ll[n] = near * left;
      this.lr[n] = far * left;
      this.rl[n] = far * right;
      this.rr[n] = near * right;
    }
  }
}

const openedFrom = new Opened();
const openedTo = new Opened();

class MatrixRun extends OutputRun<MatrixNode> {
  readonly #edges: Edges;
  readonly #sumLeft = new Float64Array(quantumFrames);
  readonly #sumRight = new Float64Array(quantumFrames);
  readonly #stage: Glide<Matrix>;

  constructor(node: MatrixNode, inputs: readonly NodeRun[], context: RunContext) {
    super(context);
    this.#edges = new Edges(context, inputs);
    this.#stage = new Glide<Matrix>(context.rateHz, node, sameMatrix);
  }

  aim(node: MatrixNode, inputs: readonly NodeRun[]): void {
    this.#stage.aim(node);
    this.#edges.aim(inputs);
  }

  settle(): void {
    this.#stage.settle();
    this.#edges.settle();
  }

  protected make(): void {
    this.#edges.add(this.#sumLeft.fill(0), this.#sumRight.fill(0));
    const { from, to, moving } = this.#stage;
    if (moving || to.stage.opening || to.width) this.#stageMoving(from, to);
    else this.#stageStill(to.stage.open);
  }

  #stageStill({ ll, lr, rl, rr }: StageGains): void {
    const frames: typeof quantumFrames = 128;
    const sumLeft = this.#sumLeft;
    const sumRight = this.#sumRight;
    const { left, right } = this;
    for (let n = 0; n < frames; n++) {
      const l = sumLeft[n];
      const r = sumRight[n];
      left[n] = hushed(ll * l + lr * r);
      right[n] = hushed(rl * l + rr * r);
    }
  }

  /** Both stages at what they are opened to, and the way from one to the other. */
  #stageMoving(from: Matrix, to: Matrix): void {
    const stage = this.#stage;
    const { moving, weights } = stage;
    stage.begin();
    openedTo.read(to, this.context);
    if (moving) openedFrom.read(from, this.context);
    for (let n = 0; n < quantumFrames; n++) {
      const l = this.#sumLeft[n];
      const r = this.#sumRight[n];
      let ll = openedTo.ll[n];
      let lr = openedTo.lr[n];
      let rl = openedTo.rl[n];
      let rr = openedTo.rr[n];
      if (moving) {
        const w = weights[n];
        ll = openedFrom.ll[n] + (ll - openedFrom.ll[n]) * w;
        lr = openedFrom.lr[n] + (lr - openedFrom.lr[n]) * w;
        rl = openedFrom.rl[n] + (rl - openedFrom.rl[n]) * w;
        rr = openedFrom.rr[n] + (rr - openedFrom.rr[n]) * w;
      }
      this.left[n] = hushed(ll * l + lr * r);
      this.right[n] = hushed(rl * l + rr * r);
    }
    stage.end();
  }
}

export const matrixKind: NodeKind<MatrixNode> = {
  start: (node, inputs, context) => new MatrixRun(node, inputs, context),
  sources: ({ stage }) => (stage.opening ? [stage.opening] : []),
  reach: () => noReach,
  memoryFrames: () => 0,
  latencyFrames: () => 0,
};
