import type { ByteSource } from '../formats/byte-source.ts';
import { decodeChannel, type Tally, type WavLayout } from '../formats/wav-read.ts';
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

/** All channels, block by block, with the share of the file that is read. */
export async function* wavPieces(bytes: ByteSource, layout: WavLayout, tally?: Tally) {
  for (let index = 0; index * blockFrames < layout.frames; index++) {
    const first = index * blockFrames;
    const count = Math.min(blockFrames, layout.frames - first);
    const raw = await bytes.read(
      layout.dataOffset + first * layout.bytesPerFrame,
      count * layout.bytesPerFrame,
    );
    const channels = Array.from({ length: layout.channels }, (_, n) =>
      decodeChannel(raw, layout, n, tally),
    );
    yield { channels, share: (first + count) / layout.frames };
  }
}

/** A whole file, each channel decoded; for what is measured in one piece. */
export async function readWavChannels(
  bytes: ByteSource,
  layout: WavLayout,
): Promise<readonly Float32Array[]> {
  const channels = Array.from({ length: layout.channels }, () => new Float32Array(layout.frames));
  let filled = 0;
  for await (const piece of wavPieces(bytes, layout)) {
    piece.channels.forEach((samples, n) => channels[n].set(samples, filled));
    filled += piece.channels[0].length;
  }
  return channels;
}

/** What a file is, read block by block. @param tell told the share that is read, 0 to 1 */
export async function readFacts(
  bytes: ByteSource,
  layout: WavLayout,
  tell: (share: number) => void = () => {},
): Promise<SourceFacts> {
  const finder = new FactFinder(layout.rateHz);
  const tally: Tally = { notFinite: 0 };
  for await (const { channels, share } of wavPieces(bytes, layout, tally)) {
    finder.add(channels);
    tell(share);
  }
  return { ...finder.facts(), ...tally };
}
