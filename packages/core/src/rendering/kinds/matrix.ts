import type { BlockStore } from '../../sources/blocks.ts';
import { Edges } from '../edges.ts';
import { Glide } from '../glide.ts';
import type { StageGains, StagePlan } from '../plan.ts';
import { quantumFrames } from '../quantum.ts';
import { noReach, type NodeBase, type NodeKind, type NodeRun, type RunContext } from './kind.ts';
import { hushed, OutputRun } from './output.ts';

/** A stage: both sides out of both sides, and where it opens with the level. */
export interface MatrixNode extends NodeBase {
  readonly kind: 'matrix';
  readonly stage: StagePlan;
}

const sameGains = (a: StageGains, b: StageGains) =>
  a.ll === b.ll && a.lr === b.lr && a.rl === b.rl && a.rr === b.rr;
export const sameStage = (a: StagePlan, b: StagePlan) =>
  sameGains(a.open, b.open) && sameGains(a.closed, b.closed) && a.opening?.key === b.opening?.key;

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

const openFrom = new Float32Array(quantumFrames);
const openTo = new Float32Array(quantumFrames);

class MatrixRun extends OutputRun<MatrixNode> {
  readonly #edges: Edges;
  readonly #sumLeft = new Float64Array(quantumFrames);
  readonly #sumRight = new Float64Array(quantumFrames);
  readonly #stage: Glide<StagePlan>;

  constructor({ stage }: MatrixNode, inputs: readonly NodeRun[], context: RunContext) {
    super(context);
    this.#edges = new Edges(context, inputs);
    this.#stage = new Glide(context.rateHz, stage, sameStage);
  }

  aim({ stage }: MatrixNode, inputs: readonly NodeRun[]): void {
    this.#stage.aim(stage);
    this.#edges.aim(inputs);
  }

  settle(): void {
    this.#stage.settle();
    this.#edges.settle();
  }

  protected make(): void {
    this.#edges.add(this.#sumLeft.fill(0), this.#sumRight.fill(0));
    const { from, to, moving } = this.#stage;
    if (moving || to.opening) this.#stageMoving(from, to);
    else this.#stageStill(to.open);
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
  #stageMoving(from: StagePlan, to: StagePlan): void {
    const stage = this.#stage;
    const { store, frame } = this.context;
    const { moving, weights } = stage;
    stage.begin();
    readOpening(store, to, frame, openTo);
    if (moving) readOpening(store, from, frame, openFrom);
    for (let n = 0; n < quantumFrames; n++) {
      const l = this.#sumLeft[n];
      const r = this.#sumRight[n];
      const w = moving ? weights[n] : 1;
      const e = openTo[n];
      const f = openFrom[n];
      const ll = to.closed.ll + (to.open.ll - to.closed.ll) * e;
      const lr = to.closed.lr + (to.open.lr - to.closed.lr) * e;
      const rl = to.closed.rl + (to.open.rl - to.closed.rl) * e;
      const rr = to.closed.rr + (to.open.rr - to.closed.rr) * e;
      const fromLl = from.closed.ll + (from.open.ll - from.closed.ll) * f;
      const fromLr = from.closed.lr + (from.open.lr - from.closed.lr) * f;
      const fromRl = from.closed.rl + (from.open.rl - from.closed.rl) * f;
      const fromRr = from.closed.rr + (from.open.rr - from.closed.rr) * f;
      this.left[n] = hushed((fromLl + (ll - fromLl) * w) * l + (fromLr + (lr - fromLr) * w) * r);
      this.right[n] = hushed((fromRl + (rl - fromRl) * w) * l + (fromRr + (rr - fromRr) * w) * r);
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
