import type { AudioFormat } from '../formats/audio-format.ts';
import type { ByteSource } from '../formats/byte-source.ts';
import type { WrittenBits } from '../formats/wav-write.ts';
import { mp3IsMono } from './announced-length.ts';

/** As a decoder gives it: no sample is checked yet, and there may be none. */
export interface RawPiece {
  readonly channels: readonly Float32Array[];
  readonly rateHz: number;
  readonly bits: WrittenBits;
  /** Of the file that is read, 0 to 1. */
  readonly share: number;
}

type Packed = Exclude<AudioFormat, 'WAV'>;

/** Decodes a file piece by piece; throws what the decoder says of one that is broken. */
export function decodePieces(format: Packed, source: ByteSource): AsyncGenerator<RawPiece> {
  return decoders[format](source);
}

/** Each package is loaded when the first file of its kind comes: together they take seconds to start. */
const decoders: Readonly<Record<Packed, (source: ByteSource) => AsyncGenerator<RawPiece>>> = {
  // Up to 24 bits; a decoder's float holds them exactly.
  FLAC: async function* (source) {
    const { FLACDecoder } = await import('@wasm-audio-decoders/flac');
    yield* streamed(new FLACDecoder(), source, '24');
  },
  'Ogg Vorbis': async function* (source) {
    const { OggVorbisDecoder } = await import('@wasm-audio-decoders/ogg-vorbis');
    yield* streamed(new OggVorbisDecoder(), source, '32f');
  },
  MP3: async function* (source) {
    const { MPEGDecoder } = await import('mpg123-decoder');
    // The decoder gives two sides of one channel, too.
    const mono = await mp3IsMono(source);
    // Without the encoder's delay and padding, where the file tells them.
    const mpeg = new MPEGDecoder({ enableGapless: true });
    await mpeg.ready;
    try {
      for await (const { bytes, share } of bytesOf(source)) {
        // A damaged frame is left out; it is no reason to refuse a file.
        const decoded = mpeg.decode(bytes);
        const channels = soundOf(decoded);
        yield {
          channels: mono ? channels.slice(0, 1) : channels,
          rateHz: decoded.sampleRate,
          bits: '32f',
          share,
        };
      }
    } finally {
      mpeg.free();
    }
  },
  AIFF: aiffPieces,
};

interface Decoded {
  readonly channelData: readonly Float32Array[];
  readonly samplesDecoded: number;
  readonly sampleRate: number;
  readonly errors: readonly { readonly message: string }[];
}

interface StreamDecoder {
  readonly ready: Promise<void>;
  decode(bytes: Uint8Array): Promise<Decoded>;
  flush(): Promise<Decoded>;
  free(): void;
}

async function* streamed(
  decoder: StreamDecoder,
  source: ByteSource,
  bits: WrittenBits,
): AsyncGenerator<RawPiece> {
  await decoder.ready;
  const pieceOf = (decoded: Decoded, share: number): RawPiece => {
    if (decoded.errors.length > 0) throw new Error(decoded.errors[0].message);
    return { channels: soundOf(decoded), rateHz: decoded.sampleRate, bits, share };
  };
  try {
    for await (const { bytes, share } of bytesOf(source))
      yield pieceOf(await decoder.decode(bytes), share);
    yield pieceOf(await decoder.flush(), 1);
  } finally {
    decoder.free();
  }
}

function soundOf({ channelData, samplesDecoded }: Decoded): Float32Array[] {
  return samplesDecoded > 0 ? channelData.map((channel) => channel.slice(0, samplesDecoded)) : [];
}

/** Read from the file at once; decoded it is some ten times as much. */
const bytesAtOnce = 262_144;

async function* bytesOf(source: ByteSource) {
  for (let at = 0; at < source.size; at += bytesAtOnce)
    yield {
      bytes: await source.read(at, Math.min(bytesAtOnce, source.size - at)),
      share: Math.min(1, (at + bytesAtOnce) / source.size),
    };
}

interface AiffLayout {
  /** The common chunk, from its name on. */
  readonly common: Uint8Array;
  readonly frames: number;
  readonly bytesPerFrame: number;
  readonly bits: number;
  readonly dataOffset: number;
  readonly packed: boolean;
}

/** The chunks before the sound are few. */
const mostChunks = 1000;

/** Source: Apple, Audio Interchange File Format 1.3 (1989), and AIFF-C (1991). */
async function aiffLayout(source: ByteSource): Promise<AiffLayout | null> {
  const form = await source.read(0, 12);
  const packed = form[11] === 0x43;
  let common: Uint8Array | null = null;
  let at = 12;
  for (let n = 0; n < mostChunks && at + 8 <= source.size; n++) {
    const head = await source.read(at, 16);
    const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
    const [name, size] = [view.getUint32(0), view.getUint32(4)];
    if (name === 0x434f_4d4d) common = (await source.read(at, Math.min(8 + size, 512))).slice();
    if (name === 0x5353_4e44 && common && common.length >= 26 && head.length === 16) {
      const data = new DataView(common.buffer);
      const bits = data.getUint16(14);
      const bytesPerFrame = Math.ceil(bits / 8) * data.getUint16(8);
      const dataOffset = at + 16 + view.getUint32(8);
      const there = Math.min(size - 8 - view.getUint32(8), source.size - dataOffset);
      const frames = Math.min(data.getUint32(10), Math.floor(there / bytesPerFrame));
      return frames > 0 ? { common, frames, bytesPerFrame, bits, dataOffset, packed } : null;
    }
    at += 8 + size + (size % 2);
  }
  return null;
}

/** The package decodes whole files: it is given one small file after another, with the head of the large one. */
async function* aiffPieces(source: ByteSource): AsyncGenerator<RawPiece> {
  const { default: decodeAiff } = await import('@audio/decode-aiff');
  const layout = await aiffLayout(source);
  if (!layout) return;
  const { common, frames, bytesPerFrame, bits, dataOffset, packed } = layout;
  const framesAtOnce = Math.max(1, Math.floor(bytesAtOnce / bytesPerFrame));
  for (let first = 0; first < frames; first += framesAtOnce) {
    const count = Math.min(framesAtOnce, frames - first);
    const data = await source.read(dataOffset + first * bytesPerFrame, count * bytesPerFrame);
    const { channelData, sampleRate } = await decodeAiff(
      smallAiff(common, count, data, packed ? 'AIFC' : 'AIFF'),
    );
    if (bits === 8) channelData.forEach(signed);
    yield {
      channels: channelData,
      rateHz: Math.round(sampleRate),
      bits: '32f',
      share: (first + count) / frames,
    };
  }
}

function smallAiff(common: Uint8Array, frames: number, data: Uint8Array, kind: string): Uint8Array {
  const pad = common.length % 2;
  const file = new Uint8Array(12 + common.length + pad + 16 + data.length);
  const view = new DataView(file.buffer);
  const text = (at: number, word: string) =>
    [...word].forEach((letter, n) => view.setUint8(at + n, letter.charCodeAt(0)));
  text(0, 'FORM');
  view.setUint32(4, file.length - 8);
  text(8, kind);
  file.set(common, 12);
  view.setUint32(16, common.length - 8);
  view.setUint32(22, frames);
  const sound = 12 + common.length + pad;
  text(sound, 'SSND');
  view.setUint32(sound + 4, 8 + data.length);
  file.set(data, sound + 16);
  return file;
}

/** AIFF's bytes are signed; the package takes them for unsigned. */
function signed(channel: Float32Array): void {
  for (let n = 0; n < channel.length; n++) channel[n] += channel[n] < 0 ? 1 : -1;
}
