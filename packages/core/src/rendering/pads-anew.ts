import { isPads, madeSource, type PadsSource } from '../derived/made-source.ts';
import { briefBlockFrames } from '../sources/blocks.ts';
import type { NodeBase } from './kinds/kind.ts';
import type { ReadingNode } from './kinds/reading.ts';
import { planReach, roots, type PlanGraph } from './plan.ts';

/** The source of a node that reads pads; null of all others. */
function padsOf(node: NodeBase): PadsSource | null {
  if (node.kind !== 'reading') return null;
  const { source } = (node as ReadingNode).strand;
  return isPads(source) ? source : null;
}

/** Keys of the pads that are read in a plan. */
export function padsKeys({ nodes }: PlanGraph): Set<string> {
  return new Set(nodes.flatMap((node) => padsOf(node)?.key ?? []));
}

/** Where pads have to begin anew in a plan so that they can be heard at a frame. */
export function anewFor(plan: PlanGraph, frame: number): number {
  const { behind } = planReach(plan, roots.heard);
  return Math.floor(Math.max(0, frame - behind) / briefBlockFrames);
}

/**
 * A plan in which some pads begin anew: they are there in a fraction of the time, tuned as they will be, while their phases are others and tones that lie close
 * are held apart less well.
 * @param places where each of them does, by its key
 */
export function withPadsAnew<Plan extends PlanGraph>(
  plan: Plan,
  places: ReadonlyMap<string, number>,
): Plan {
  if (places.size === 0) return plan;
  const nodes = plan.nodes.map((node) => {
    const source = padsOf(node);
    const anewAt = places.get(source?.key ?? '');
    if (!source || anewAt === undefined) return node;
    const anew = madeSource(source.from, { ...source.step, anewAt }, source.rateHz);
    return { ...node, strand: { ...(node as ReadingNode).strand, source: anew } };
  });
  return { ...plan, nodes };
}
