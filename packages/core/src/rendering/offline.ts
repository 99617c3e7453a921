import {
  BlockStore,
  blockFrames,
  ensureBlocks,
  type BlockLoader,
  type PcmSource,
} from '../sources/blocks.ts';
import { planSplices } from '../voices/splices.ts';
import { makingLoader } from '../derived/made-source.ts';
import type { SpliceNeed } from '../derived/splice-library.ts';
import type { SplicePlan } from '../voices/splices.ts';
import { planReach, planSources, type RenderPlan } from './plan.ts';
import { quantumFrames } from './quantum.ts';
import { Renderer } from './renderer.ts';

export interface RenderedBlock {
  /** Absolute frame of the first. */
  readonly frame: number;
  readonly left: Float32Array;
  readonly right: Float32Array;
}

/**
 * Renders one part from one frame to another, block by block, in bounded memory.
 * @param to exclusive; may lie beyond the end of the takes, where tails ring out
 * @param what the image, or the plain reference
 */
export async function* renderPart(
  plan: RenderPlan,
  partId: string,
  load: BlockLoader,
  from: number,
  to: number,
  what: 'image' | 'plain' = 'image',
): AsyncGenerator<RenderedBlock> {
  const part = plan.parts.find((candidate) => candidate.id === partId);
  if (!part) throw new Error(`The plan has no part ${partId}.`);
  // Plain needs none of the voices, nor what is made for them.
  const heard =
    what === 'plain' ? { ...part, strands: [], stage: { ...part.stage, opening: null } } : part;
  const only: RenderPlan = { ...plan, parts: [heard], bed: null };
  const sources = planSources(only);
  const store = new BlockStore();
  const renderer = new Renderer(plan.rateHz, store);
  renderer.aim(only);
  const [run] = renderer.parts;
  const { behind, ahead } = planReach(only);
  const loadAny = makingLoader(load);
  for (let frame = from; frame < to; frame += blockFrames) {
    const count = Math.min(blockFrames, to - frame);
    store.retain((_, index) => (index + 1) * blockFrames > frame - behind);
    await ensureBlocks(store, loadAny, sources, frame - behind, frame + count + ahead);
    const block = { frame, left: new Float32Array(count), right: new Float32Array(count) };
    const grid = Math.floor(frame / quantumFrames) * quantumFrames;
    for (let quantum = grid; quantum < frame + count; quantum += quantumFrames) {
      renderer.render(quantum, what === 'plain');
      const start = Math.max(0, frame - quantum);
      const end = Math.min(quantumFrames, frame + count - quantum);
      const at = quantum - frame;
      const left = what === 'plain' ? run.plainLeft : run.left;
      const right = what === 'plain' ? run.plainRight : run.right;
      for (let n = start; n < end; n++) {
        block.left[at + n] = left[n];
        block.right[at + n] = right[n];
      }
    }
    yield block;
  }
}

/** Renders a stretch of a part in one piece; for measuring. */
export async function renderStretch(
  plan: RenderPlan,
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

/** Plans the splices that a tuned voice needs, of all of its source or a stretch, reading it block by block. */
export async function prepareSplices(
  need: SpliceNeed,
  rateHz: number,
  load: BlockLoader,
  stretch: { readonly from?: number; readonly to?: number } = {},
): Promise<SplicePlan> {
  const store = new BlockStore();
  const sources = [need.source];
  let asked = 0;
  return planSplices({
    kind: need.kind,
    ratio: need.ratio,
    ...stretch,
    rateHz,
    frames: need.source.frames,
    read: async (start, count) => {
      store.retain((_, index) => (index + 2) * blockFrames > start);
      // Now and then a block is asked for again though it is there, so that a loader that wants to be can be left.
      if (++asked % 16 === 0) await load(need.source, firstBlock(need.source, start));
      await ensureBlocks(store, load, sources, start, start + count);
      const target = new Float32Array(count);
      store.read(need.source, start, count, target);
      return target;
    },
  });
}

function firstBlock({ frames }: PcmSource, start: number): number {
  const last = Math.ceil(frames / blockFrames) - 1;
  return Math.max(0, Math.min(last, Math.floor(start / blockFrames)));
}
