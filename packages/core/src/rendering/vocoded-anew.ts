import { isVocoded, madeSource, type VocodedSource } from '../derived/made-source.ts';
import { briefBlockFrames } from '../sources/blocks.ts';
import type { NodeBase } from './kinds/kind.ts';
import type { ReadingNode } from './kinds/reading.ts';
import { planReach, roots, type PlanGraph } from './plan.ts';

/** The source of a node that reads what a vocoder tunes; null of all others. */
function vocodedOf(node: NodeBase): VocodedSource | null {
  if (node.kind !== 'reading') return null;
  const { source } = (node as ReadingNode).strand;
  return isVocoded(source) ? source : null;
}

/** Keys of what a vocoder tunes in a plan. */
export function vocodedKeys({ nodes }: PlanGraph): Set<string> {
  return new Set(nodes.flatMap((node) => vocodedOf(node)?.key ?? []));
}

/** Where its phases have to begin anew in a plan so that they can be heard at a frame. */
export function anewFor(plan: PlanGraph, frame: number): number {
  const { behind } = planReach(plan, roots.heard);
  return Math.floor(Math.max(0, frame - behind) / briefBlockFrames);
}

/**
 * A plan in which the phases of some of that begin anew: it is there in a fraction of the time, tuned as it will be, while its phases are others and
 * tones of pads that lie close are held apart less well.
 * @param places where each of them does, by its key
 */
export function withVocodedAnew<Plan extends PlanGraph>(
  plan: Plan,
  places: ReadonlyMap<string, number>,
): Plan {
  if (places.size === 0) return plan;
  const nodes = plan.nodes.map((node) => {
    const source = vocodedOf(node);
    const anewAt = places.get(source?.key ?? '');
    if (!source || anewAt === undefined) return node;
    const anew = madeSource(source.from, { ...source.step, anewAt }, source.rateHz);
    return { ...node, strand: { ...(node as ReadingNode).strand, source: anew } };
  });
  return { ...plan, nodes };
}
