import { WavEncoder, wavFits, wavHeader, type WrittenBits } from '@pannet/core/formats/wav-write';
import { renderRoot } from '@pannet/core/rendering/offline';
import type { PlanGraph } from '@pannet/core/rendering/plan';
import type { BlockLoader } from '@pannet/core/sources/blocks';

/**
 * Renders a root from the beginning as a stereo WAV file, piece by piece.
 * @param send told each piece and the share that is done with it
 * @returns how many samples lay over full scale and were held there
 */
export async function writeWav(
  name: string,
  {
    plan,
    root,
    frames,
    bits,
  }: { plan: PlanGraph; root: string; frames: number; bits: WrittenBits },
  load: BlockLoader,
  send: (bytes: Uint8Array<ArrayBuffer>, share: number) => void,
): Promise<number> {
  if (!wavFits(frames, 2, bits))
    throw new Error(`“${name}” would be over 4 GB, which WAV cannot hold.`);
  const piece = (bytes: Uint8Array, share: number) => send(bytes as Uint8Array<ArrayBuffer>, share);
  piece(wavHeader(frames, 2, plan.rateHz, bits), 0);
  const encoder = new WavEncoder(bits);
  for await (const { frame, left, right } of renderRoot(plan, root, load, 0, frames))
    piece(encoder.encode([left, right], left.length), (frame + left.length) / frames);
  return encoder.clipped;
}
