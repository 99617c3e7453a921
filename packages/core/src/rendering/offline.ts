import {
  BlockStore,
  blockFrames,
  blockRange,
  ensureBlocks,
  type BlockLoader,
  type PcmSource,
} from '../sources/blocks.ts';
import type { LagTables } from '../derived/lag-tables.ts';
import { planSplices } from '../voices/splice-planning.ts';
import { isMade } from '../derived/made-source.ts';
import { makingLoader } from '../derived/making.ts';
import type { SpliceNeed } from '../derived/splice-library.ts';
import type { SplicePlan } from '../voices/splices.ts';
import { Graph } from './graph.ts';
import { allKinds, type Kinds } from './kinds/kinds.ts';
import { memoryOf, nodeSources, nodesUnder, planReach, roots, type PlanGraph } from './plan.ts';
import { quantumFrames } from './quantum.ts';

export interface RenderedBlock {
  /** Absolute frame of the first. */
  readonly frame: number;
  readonly left: Float32Array;
  readonly right: Float32Array;
}

/**
 * Renders what any root of a plan gives from one frame to another, block by block, in bounded memory.
 * @param root id of a node: a part, its plain, a voice, a group, the song (see `roots`)
 * @param to exclusive; may lie beyond the end of the takes, where tails ring out
 */
export async function* renderRoot(
  plan: PlanGraph,
  root: string,
  load: BlockLoader,
  from: number,
  to: number,
  kinds: Kinds = allKinds,
): AsyncGenerator<RenderedBlock> {
  const nodes = nodesUnder(plan, root);
  if (nodes.length === 0) throw new Error(`The plan has no node ${root}.`);
  if (to <= from) return;
  const sources = nodeSources(nodes, kinds);
  const store = new BlockStore();
  const graph = new Graph(plan.rateHz, store, kinds);
  graph.aim(plan, root);
  const { behind, ahead } = planReach(plan, root, kinds);
  const loadAny = makingLoader(load);
  const gridOf = (frame: number) => Math.floor(frame / quantumFrames) * quantumFrames;
  // What remembers is rolled in, so that a stretch is what the whole has there; nothing sounds before the take that is read earliest.
  const rolledIn = Math.max(from - memoryOf(nodes, plan.rateHz, kinds), -ahead);
  let quantum = gridOf(Math.min(from, rolledIn));
  let frame = quantum;
  while (frame < to) {
    // Blocks end on the grid, so that no quantum is in two of them: what remembers goes on from it.
    const count = Math.min(gridOf(frame + blockFrames), to) - frame;
    store.dropBefore(sources, frame - behind);
    await ensureBlocks(store, loadAny, sources, frame - behind, frame + count + ahead);
    const block = { frame, left: new Float32Array(count), right: new Float32Array(count) };
    for (; quantum < frame + count; quantum += quantumFrames) {
      graph.at(quantum);
      const { left, right } = graph.render(root);
      const at = quantum - frame;
      const start = Math.max(0, -at);
      const end = Math.min(quantumFrames, count - at);
      block.left.set(left.subarray(start, end), at + start);
      block.right.set(right.subarray(start, end), at + start);
    }
    frame += count;
    if (frame > from) yield behindStart(block, from);
  }
}

/** A block without what lies before a frame. */
function behindStart(block: RenderedBlock, from: number): RenderedBlock {
  const before = from - block.frame;
  if (before <= 0) return block;
  return {
    frame: from,
    left: block.left.slice(before),
    right: block.right.slice(before),
  };
}

/** Renders a part, or its plain reference, as `renderRoot` does. */
export function renderPart(
  plan: PlanGraph,
  partId: string,
  load: BlockLoader,
  from: number,
  to: number,
  what: 'image' | 'plain' = 'image',
): AsyncGenerator<RenderedBlock> {
  return renderRoot(plan, rootOf(partId, what), load, from, to);
}

const rootOf = (partId: string, what: 'image' | 'plain') =>
  what === 'plain' ? roots.plain(partId) : roots.part(partId);

/** Renders a stretch of a part in one piece; for measuring. */
export async function renderStretch(
  plan: PlanGraph,
  partId: string,
  load: BlockLoader,
  from: number,
  to: number,
  what: 'image' | 'plain' = 'image',
  tick: (share: number) => void = () => {},
): Promise<{ left: Float32Array; right: Float32Array }> {
  const left = new Float32Array(to - from);
  const right = new Float32Array(to - from);
  for await (const block of renderPart(plan, partId, load, from, to, what)) {
    left.set(block.left, block.frame - from);
    right.set(block.right, block.frame - from);
    tick((block.frame - from + block.left.length) / (to - from));
  }
  return { left, right };
}

/**
 * Plans the splices that a tuned voice needs, of all of its source or a stretch, reading it block by block.
 * @param tables by which lags its sources may be jumped, as far as that is known; is added to
 */
export async function prepareSplices(
  need: SpliceNeed,
  rateHz: number,
  loadRaw: BlockLoader,
  stretch: { readonly from?: number; readonly to?: number } = {},
  tables?: LagTables,
): Promise<SplicePlan> {
  const store = new BlockStore();
  const sources = [need.source];
  const load = isMade(need.source) ? makingLoader(loadRaw) : loadRaw;
  let asked = 0;
  return planSplices({
    kind: need.kind,
    ratio: need.ratio,
    ...stretch,
    rateHz,
    frames: need.source.frames,
    table: tables?.of(need.source.key, need.kind, need.ratio, rateHz),
    read: async (start, count) => {
      store.dropBefore(sources, start - blockFrames);
      // Now and then a block is asked for again though it is there, so that a loader that wants to be can be left.
      if (++asked % 16 === 0) await load(need.source, firstBlock(need.source, start));
      await ensureBlocks(store, load, sources, start, start + count);
      const target = new Float32Array(count);
      store.read(need.source, start, count, target);
      return target;
    },
    breathe: () => load(need.source, 0),
  });
}

function firstBlock(source: PcmSource, start: number): number {
  return Math.min(...blockRange(source, start, source.frames));
}
