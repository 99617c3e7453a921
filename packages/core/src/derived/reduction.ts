import { blockFrames, BlockStore, ensureBlocks } from '../sources/blocks.ts';
import type { BlockLoader, PcmSource } from '../sources/blocks.ts';
import { PreparationRun, type Preparation } from '../takes/preparation.ts';

/**
 * The most that the compressor of a preparation brings a stretch of a take down, in dB, 0 and below; null where it is
 * off.
 * @param source the take as it was recorded
 * @param from absolute frame of the first
 * @param to exclusive
 */
export async function mostReduction(
  preparation: Preparation,
  source: PcmSource,
  rateHz: number,
  load: BlockLoader,
  from: number,
  to: number,
): Promise<number | null> {
  if (preparation.compressor.thresholdDb === null) return null;
  const store = new BlockStore();
  const run = new PreparationRun(preparation, rateHz);
  const block = new Float32Array(blockFrames);
  for (let frame = from; frame < to; frame += blockFrames) {
    const count = Math.min(blockFrames, to - frame);
    store.dropBefore([source], frame);
    await ensureBlocks(store, load, [source], frame, frame + count);
    store.read(source, frame, count, block);
    run.process(Float64Array.from(block.subarray(0, count)));
  }
  return run.compressor.mostReductionDb;
}
