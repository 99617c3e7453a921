import type { ByteSource } from '../formats/byte-source.ts';
import { decodeChannel, type WavLayout } from '../formats/wav-read.ts';
import { blockFrames } from './blocks.ts';
import { FactFinder, type SourceFacts } from './facts.ts';

/** Reads and decodes one block of one channel of a WAV file. */
export async function readWavBlock(
  bytes: ByteSource,
  layout: WavLayout,
  channel: number,
  index: number,
): Promise<Float32Array> {
  const first = index * blockFrames;
  const count = Math.min(blockFrames, layout.frames - first);
  const raw = await bytes.read(
    layout.dataOffset + first * layout.bytesPerFrame,
    count * layout.bytesPerFrame,
  );
  return decodeChannel(raw, layout, channel);
}

/** A whole file, each channel decoded; for what is measured in one piece. */
export async function readWavChannels(
  bytes: ByteSource,
  layout: WavLayout,
): Promise<readonly Float32Array[]> {
  const channels = Array.from({ length: layout.channels }, () => new Float32Array(layout.frames));
  for (let index = 0; index * blockFrames < layout.frames; index++)
    for (const [channel, samples] of channels.entries())
      samples.set(await readWavBlock(bytes, layout, channel, index), index * blockFrames);
  return channels;
}

/** What a file is, read block by block. */
export async function readFacts(bytes: ByteSource, layout: WavLayout): Promise<SourceFacts> {
  const finder = new FactFinder(layout.rateHz);
  for (let index = 0; index * blockFrames < layout.frames; index++) {
    const first = index * blockFrames;
    const count = Math.min(blockFrames, layout.frames - first);
    const raw = await bytes.read(
      layout.dataOffset + first * layout.bytesPerFrame,
      count * layout.bytesPerFrame,
    );
    finder.add(Array.from({ length: layout.channels }, (_, n) => decodeChannel(raw, layout, n)));
  }
  return finder.facts();
}
