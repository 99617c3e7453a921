import { cyclesAt, type Cycle } from '../moves/curve.ts';
import type { PlanNode } from '../rendering/kinds/kinds.ts';
import { renderStretch } from '../rendering/offline.ts';
import { nodesUnder, roots, type RenderPlan } from '../rendering/plan.ts';
import type { MovingValue } from '../rendering/value.ts';
import type { BlockLoader } from '../sources/blocks.ts';

/** What goes to and fro in a part, as deep as it is heard over its cycle. */
export interface Motion {
  /** Cycles a second, in the middle of what was measured. */
  readonly rateHz: number;
  /** From the softest to the loudest of its cycle: of the side that moves more, and of the fold. At most `deepestDb`. */
  readonly sidesDb: number;
  readonly foldDb: number;
  /** Beside the same standing still, in dB, at equal places of its cycle, from the cycle's beginning on; at least −`deepestDb`, null where there is nothing. */
  readonly overCycle: Readonly<Record<keyof OverCycle, readonly (number | null)[]>>;
}

/** Deeper than this is silence in between. */
export const deepestDb = 60;
/** A cycle is looked at in so many places. */
const places = 32;
/** What is softer than all of it by so much says nothing about how deep it is. */
const silent = 1e-6;
/** A fold that is so much softer than the sides stands still by being nothing. */
const hardlyAny = 1e-4;

const { floor, log10, max, min } = Math;

interface Sides {
  readonly left: Float32Array;
  readonly right: Float32Array;
}

/** Power over the places of a cycle. */
interface OverCycle {
  readonly left: Float64Array;
  readonly right: Float64Array;
  readonly fold: Float64Array;
}

/**
 * How deep a part's cyclic moves are in each side and in the fold, over a stretch that was rendered: against the same stretch with everything standing
 * still, so that what the material does by itself is not counted. Of several rates the deepest is told; null where nothing moves in cycles, or none of
 * them comes round within the stretch.
 * @param moved the stretch, rendered
 * @param from absolute frame of its first
 * @param tick is told the share done, and may throw to stop
 */
export async function measureMotion(
  plan: RenderPlan,
  partId: string,
  load: BlockLoader,
  moved: Sides,
  from: number,
  tick: (share: number) => void = () => {},
): Promise<Motion | null> {
  const to = from + moved.left.length;
  const rates = cyclesOf(plan, partId).filter((moving) => turns(moving, from, to) >= 1);
  if (rates.length === 0) return null;
  const still = await renderStretch(stillPlan(plan, partId), partId, load, from, to, 'image', tick);
  const motions = rates.map((moving) => depthOver(moving, moved, still, from));
  return motions.reduce((deepest, one) => (one.sidesDb > deepest.sidesDb ? one : deepest));
}

/** What a node has that may move. */
function movingOf(node: PlanNode): MovingValue | null {
  const value =
    node.kind === 'gain'
      ? node.gain
      : node.kind === 'placed'
        ? node.place
        : node.kind === 'matrix'
          ? node.width
          : null;
  return value === null || typeof value === 'number' ? null : value;
}

/** A moving value for each rate that something of a part goes round at. */
function cyclesOf(plan: RenderPlan, partId: string): MovingValue[] {
  const found = new Map<string, MovingValue>();
  for (const node of nodesUnder(plan, roots.part(partId)) as PlanNode[]) {
    const value = movingOf(node);
    if (value?.curve.kind === 'cycle') found.set(JSON.stringify(value.curve.rate), value);
  }
  return [...found.values()];
}

function cyclesBy({ curve, tempo, rateHz }: MovingValue, frame: number): number {
  return cyclesAt(curve as Cycle, max(0, frame) / rateHz, tempo);
}

function turns(moving: MovingValue, from: number, to: number): number {
  return cyclesBy(moving, to) - cyclesBy(moving, from);
}

/** The plan with all of a part's cycles where they add nothing. */
function stillPlan(plan: RenderPlan, partId: string): RenderPlan {
  const own = new Set(nodesUnder(plan, roots.part(partId)).map(({ id }) => id));
  const standing = (value: MovingValue): MovingValue =>
    value.curve.kind === 'cycle'
      ? { ...value, curve: { kind: 'points', points: [{ atS: 0, by: 0, shape: 'straight' }] } }
      : value;
  return {
    ...plan,
    nodes: plan.nodes.map((node): PlanNode => {
      if (!own.has(node.id) || !movingOf(node)) return node;
      if (node.kind === 'gain') return { ...node, gain: standing(node.gain as MovingValue) };
      if (node.kind === 'placed') return { ...node, place: standing(node.place) };
      if (node.kind === 'matrix') return { ...node, width: node.width && standing(node.width) };
      return node;
    }),
  };
}

function depthOver(moving: MovingValue, moved: Sides, still: Sides, from: number): Motion {
  const { rateHz } = moving;
  const to = from + moved.left.length;
  const now = overCycle(moving, moved, from);
  const before = overCycle(moving, still, from);
  const all = total(before.left) + total(before.right);
  // What hardly sounds while it stands is held against all that does.
  const beside = (own: Float64Array) =>
    total(own) > hardlyAny * all ? own : before.left.map((left, n) => left + before.right[n]);
  const depth = (side: keyof OverCycle) => depthDb(now[side], beside(before[side]));
  const levels = (side: keyof OverCycle) => levelsDb(now[side], beside(before[side]));
  return {
    rateHz: (turns(moving, from, to) * rateHz) / (to - from),
    sidesDb: max(depth('left'), depth('right')),
    foldDb: depth('fold'),
    overCycle: { left: levels('left'), right: levels('right'), fold: levels('fold') },
  };
}

function overCycle(moving: MovingValue, { left, right }: Sides, from: number): OverCycle {
  const powers = {
    left: new Float64Array(places),
    right: new Float64Array(places),
    fold: new Float64Array(places),
  };
  const step = 128;
  for (let start = 0; start < left.length; start += step) {
    const here = cyclesBy(moving, from + start);
    const way = (cyclesBy(moving, from + start + step) - here) / step;
    const end = min(step, left.length - start);
    for (let n = 0; n < end; n++) {
      const turned = here + way * n;
      const place = floor((turned - floor(turned)) * places) % places;
      const l = left[start + n];
      const r = right[start + n];
      powers.left[place] += l * l;
      powers.right[place] += r * r;
      powers.fold[place] += (l + r) * (l + r);
    }
  }
  return powers;
}

function total(powers: Float64Array): number {
  return powers.reduce((sum, power) => sum + power, 0);
}

function levelsDb(now: Float64Array, before: Float64Array): (number | null)[] {
  const mean = total(before) / places;
  return [...now].map((power, n) =>
    before[n] > silent * mean ? max(-deepestDb, 10 * log10(power / before[n] + 1e-12)) : null,
  );
}

/** From the least to the most of one power beside another, over the places where there is anything. */
function depthDb(now: Float64Array, before: Float64Array): number {
  const mean = total(before) / places;
  const shares = [...now].flatMap((power, n) =>
    before[n] > silent * mean ? [power / before[n]] : [],
  );
  const most = max(...shares);
  if (shares.length === 0 || most <= 0) return 0;
  return min(deepestDb, 10 * log10(most / max(min(...shares), most * 1e-9)));
}
