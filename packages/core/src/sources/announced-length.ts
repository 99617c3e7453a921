import type { AudioFormat } from '../formats/audio-format.ts';
import type { ByteSource } from '../formats/byte-source.ts';
import { readWavLayout } from '../formats/wav-read.ts';

/**
 * How many samples a file says that it holds, all channels together, read off its headers: known before any of it is decoded.
 * null where it does not say. Sources: RFC 9639 (FLAC), 8.2; Apple, Audio Interchange File Format 1.3 (1989); RFC 3533 (Ogg),
 * 6; Xiph, Vorbis I, 4.2.2; ISO/IEC 11172-3, 2.4.2.3, the tables of MPEG audio's header from memory.
 */
export async function announcedSamples(
  source: ByteSource,
  format: AudioFormat,
): Promise<number | null> {
  switch (format) {
    case 'WAV': {
      const layout = await readWavLayout(source, '');
      return layout.ok ? layout.value.frames * layout.value.channels : null;
    }
    case 'FLAC':
      return flac(await view(source, 0, 42));
    case 'AIFF':
      return aiff(source);
    case 'Ogg Vorbis':
      return ogg(source);
    case 'MP3':
      return mp3(source);
  }
}

async function view(source: ByteSource, offset: number, length: number): Promise<DataView> {
  const bytes = await source.read(offset, Math.max(0, Math.min(length, source.size - offset)));
  return new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
}

function flac(data: DataView): number | null {
  if (data.byteLength < 26) return null;
  const channels = ((data.getUint8(20) >> 1) & 7) + 1;
  const frames = (data.getUint8(21) & 15) * 2 ** 32 + data.getUint32(22);
  return frames > 0 ? frames * channels : null;
}

/** Chunks before the common one are few. */
const mostChunks = 100;

async function aiff(source: ByteSource): Promise<number | null> {
  let at = 12;
  for (let n = 0; n < mostChunks && at + 16 <= source.size; n++) {
    const chunk = await view(source, at, 14);
    if (chunk.getUint32(0) === 0x434f_4d4d) return chunk.getUint16(8) * chunk.getUint32(10);
    const size = chunk.getUint32(4);
    at += 8 + size + (size % 2);
  }
  return null;
}

const oggPage = 0x4f67_6753;
/** A page has at most so many bytes. */
const largestPage = 65_307;

async function ogg(source: ByteSource): Promise<number | null> {
  const head = await view(source, 0, 64);
  if (head.byteLength < 40) return null;
  const channels = head.getUint8(27 + head.getUint8(26) + 11);
  const tail = await view(source, Math.max(0, source.size - largestPage), largestPage);
  for (let at = tail.byteLength - 14; at >= 0; at--) {
    if (tail.getUint32(at) !== oggPage) continue;
    const position = tail.getBigInt64(at + 6, true);
    return position > 0n ? Number(position) * channels : null;
  }
  return null;
}

const kilobits = {
  /** MPEG 1, layer III. */
  first: [0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320],
  /** MPEG 2 and 2.5, layer III. */
  second: [0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160],
};
const ratesHz = [44_100, 48_000, 32_000];
const readAtOnce = 1_048_576;

/** Counts the frames, from header to header: a rate that varies tells nothing beforehand. */
async function mp3(source: ByteSource): Promise<number | null> {
  let samples = 0;
  for await (const { frames, channels } of mp3Frames(source)) samples += frames * channels;
  return samples > 0 ? samples : null;
}

/** Whether an MP3 file holds one channel, by its first frame. */
export async function mp3IsMono(source: ByteSource): Promise<boolean> {
  for await (const { channels } of mp3Frames(source)) return channels === 1;
  return false;
}

async function* mp3Frames(source: ByteSource) {
  const head = await view(source, 0, 10);
  let at = 0;
  // An ID3 tag, its size in seven bits a byte.
  if (head.byteLength === 10 && head.getUint32(0) >>> 8 === 0x49_4433)
    at = 10 + [6, 7, 8, 9].reduce((size, byte) => size * 128 + (head.getUint8(byte) & 127), 0);
  let piece = await view(source, at, readAtOnce);
  let from = at;
  while (at + 4 <= source.size) {
    if (at + 4 > from + piece.byteLength) {
      piece = await view(source, at, readAtOnce);
      from = at;
    }
    const header = piece.getUint32(at - from);
    const version = (header >>> 19) & 3;
    const rateIndex = (header >>> 10) & 3;
    const rateHz = ratesHz[rateIndex] / (version === 3 ? 1 : version === 2 ? 2 : 4);
    const bits = (version === 3 ? kilobits.first : kilobits.second)[(header >>> 12) & 15];
    const isFrame = header >>> 21 === 0x7ff && ((header >>> 17) & 3) === 1 && version !== 1;
    if (!isFrame || rateIndex === 3 || !bits) {
      at++;
      continue;
    }
    const frames = version === 3 ? 1152 : 576;
    const channels = ((header >>> 6) & 3) === 3 ? 1 : 2;
    yield { frames, channels };
    at += Math.floor(((frames / 8) * bits * 1000) / rateHz) + ((header >>> 9) & 1);
  }
}
