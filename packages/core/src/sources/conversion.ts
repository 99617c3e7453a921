import { failure, success, type Outcome } from '../outcome.ts';
import { formatOf, type AudioFormat } from '../formats/audio-format.ts';
import { bytesInMemory, type ByteSource } from '../formats/byte-source.ts';
import { readWavLayout } from '../formats/wav-read.ts';
import { checkParameter } from '../parameters/parameter.ts';
import { rateParameter } from '../parameters/tables.ts';
import { wavFile, type WrittenBits } from '../formats/wav-write.ts';
import { announcedSamples } from './announced-length.ts';
import { readWavChannels } from './wav-blocks.ts';

/** Audio as samples, with how finely it was written. */
export interface Decoded {
  readonly format: AudioFormat;
  readonly channels: readonly Float32Array[];
  readonly rateHz: number;
  /** What a WAV needs to hold it as it is. */
  readonly bits: WrittenBits;
}

/** Samples of all channels together that are decoded at once: an hour of stereo at 48 kHz and more. */
const mostSamples = 400e6;

/**
 * Whether a file can be converted at once, told from its headers: what is too long is refused before it has been read or
 * decoded, since decoded it is many times as large.
 */
export async function checkLength(source: ByteSource, fileName: string): Promise<Outcome<null>> {
  const format = formatOf(await source.read(0, Math.min(16, source.size)));
  const samples = format && (await announcedSamples(source, format));
  if (samples === null || samples <= mostSamples) return success(null);
  return tooLong(fileName);
}

function tooLong(fileName: string): Outcome<never> {
  return failure(
    'too-long',
    `“${fileName}” is too long to be converted at once: up to 69 minutes of stereo at 48 kHz can be. Bounce it as a WAV file at the song's rate, or in pieces.`,
  );
}

/** Decodes a whole file; what cannot be decoded is said in a sentence that names it. */
export async function decodeAudio(bytes: Uint8Array, fileName: string): Promise<Outcome<Decoded>> {
  const format = formatOf(bytes);
  const length = await checkLength(bytesInMemory(bytes), fileName);
  if (!length.ok) return length;
  if (format === null)
    return failure(
      'unknown-format',
      `“${fileName}” is not audio that can be read: WAV, FLAC, MP3, Ogg Vorbis and AIFF can.`,
    );
  if (format === 'WAV') return decodeWav(bytes, fileName);
  let found: Omit<Decoded, 'format'>;
  try {
    found = await decoders[format](bytes);
  } catch (error) {
    return broken(fileName, format, error instanceof Error ? error.message : String(error));
  }
  const { channels, rateHz } = found;
  if (channels.length === 0 || channels[0].length === 0)
    return broken(fileName, format, 'there is no sound in it');
  const rate = checkParameter(rateParameter, rateHz, 'rateHz');
  if (!rate.ok) return broken(fileName, format, rate.error.sentence.replace(/\.$/, ''));
  if (channels.length > 2)
    return failure(
      'too-many-channels',
      `“${fileName}” has ${channels.length} channels; mono and stereo can be read.`,
    );
  // Where it did not say so before.
  if (channels.length * channels[0].length > mostSamples) return tooLong(fileName);
  for (const channel of channels)
    for (let n = 0; n < channel.length; n++) if (!Number.isFinite(channel[n])) channel[n] = 0;
  return success({ format, ...found });
}

function broken(fileName: string, format: string, why: string): Outcome<never> {
  return failure('broken-file', `“${fileName}” cannot be read as ${format}: ${why}.`);
}

async function decodeWav(bytes: Uint8Array, fileName: string): Promise<Outcome<Decoded>> {
  const source = bytesInMemory(bytes);
  const layout = await readWavLayout(source, fileName);
  if (!layout.ok) return layout;
  const { encoding, bitsPerSample, rateHz } = layout.value;
  const channels = await readWavChannels(source, layout.value);
  const bits = encoding === 'float' || bitsPerSample > 24 ? '32f' : '24';
  return success({ format: 'WAV', channels, rateHz, bits });
}

interface WasmDecoder {
  readonly ready: Promise<void>;
  free(): void;
}

interface WasmDecoded {
  readonly channelData: Float32Array[];
  readonly samplesDecoded: number;
  readonly sampleRate: number;
  readonly errors: readonly { readonly message: string }[];
}

async function withDecoder<Kind extends WasmDecoder>(
  decoder: Kind,
  decode: (decoder: Kind) => Promise<WasmDecoded> | WasmDecoded,
  bits: WrittenBits,
): Promise<Omit<Decoded, 'format'>> {
  await decoder.ready;
  try {
    const { channelData, samplesDecoded, sampleRate, errors } = await decode(decoder);
    if (errors.length > 0) throw new Error(errors[0].message);
    const channels = channelData.map((channel) => channel.slice(0, samplesDecoded));
    return { channels, rateHz: sampleRate, bits };
  } finally {
    decoder.free();
  }
}

type Decode = (bytes: Uint8Array) => Promise<Omit<Decoded, 'format'>>;

/** Each package is loaded when the first file of its kind comes: together they take seconds to start. */
const decoders: Readonly<Record<Exclude<AudioFormat, 'WAV'>, Decode>> = {
  // Up to 24 bits; a decoder's float holds them exactly.
  FLAC: async (bytes) => {
    const { FLACDecoder } = await import('@wasm-audio-decoders/flac');
    return withDecoder(new FLACDecoder(), (flac) => flac.decodeFile(bytes), '24');
  },
  'Ogg Vorbis': async (bytes) => {
    const { OggVorbisDecoder } = await import('@wasm-audio-decoders/ogg-vorbis');
    return withDecoder(new OggVorbisDecoder(), (ogg) => ogg.decodeFile(bytes), '32f');
  },
  MP3: async (bytes) => {
    const { MPEGDecoder } = await import('mpg123-decoder');
    // Without the encoder's delay and padding, where the file tells them.
    return withDecoder(
      new MPEGDecoder({ enableGapless: true }),
      (mpeg) => {
        const { channelData, ...decoded } = mpeg.decode(bytes);
        const [left, right] = channelData;
        // The decoder gives two sides of one channel, too. A damaged frame is left out; it is no reason to refuse a file.
        const same = right?.every((value, n) => value === left[n]);
        return { ...decoded, channelData: same ? [left] : channelData, errors: [] };
      },
      '32f',
    );
  },
  AIFF: async (bytes) => {
    const { default: decodeAiff } = await import('@audio/decode-aiff');
    const { channelData, sampleRate } = await decodeAiff(bytes);
    if (aiffBits(bytes) === 8) channelData.forEach(signed);
    return { channels: channelData, rateHz: Math.round(sampleRate), bits: '32f' };
  },
};

/** The size of a sample, from the common chunk; 0 where there is none. */
function aiffBits(bytes: Uint8Array): number {
  const data = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  for (let at = 12; at + 16 <= bytes.length;) {
    if (data.getUint32(at) === 0x434f_4d4d) return data.getUint16(at + 14);
    const size = data.getUint32(at + 4);
    at += 8 + size + (size % 2);
  }
  return 0;
}

/** AIFF's bytes are signed (Apple, Audio Interchange File Format 1.3, 1989); the package takes them for unsigned. */
function signed(channel: Float32Array): void {
  for (let n = 0; n < channel.length; n++) channel[n] += channel[n] < 0 ? 1 : -1;
}

/** Frames that are given to the resampler at once. */
const resampledAtOnce = 32_768;
/** Of silence behind the end, in frames of the source: the resampler keeps its last ones back otherwise. */
const flushFrames = 8192;

/**
 * Converts a rate by libsamplerate's best sinc interpolation (145 dB). The length is exact: as many frames as last the
 * same time, rounded; the tail is in it.
 * @param tick told the share that is done; may throw to stop
 */
export async function resample(
  channels: readonly Float32Array[],
  fromHz: number,
  toHz: number,
  tick: (share: number) => void = () => {},
): Promise<Float32Array[]> {
  if (fromHz === toHz) return channels.map((channel) => channel.slice());
  const frames = channels[0].length;
  const wanted = Math.round((frames * toHz) / fromHz);
  const { default: libsamplerate } = await import('@alexanderolsen/libsamplerate-js');
  const converted: Float32Array[] = [];
  for (const [index, channel] of channels.entries()) {
    const resampler = await libsamplerate.create(1, fromHz, toHz, {
      converterType: libsamplerate.ConverterType.SRC_SINC_BEST_QUALITY,
    });
    try {
      const out = new Float32Array(wanted);
      let filled = 0;
      for (let at = 0; at < frames + flushFrames && filled < wanted; at += resampledAtOnce) {
        const piece = new Float32Array(Math.min(resampledAtOnce, frames + flushFrames - at));
        if (at < frames) piece.set(channel.subarray(at, Math.min(frames, at + piece.length)));
        const made = resampler.full(piece);
        const room = made.subarray(0, wanted - filled);
        out.set(room, filled);
        filled += room.length;
        tick((index + Math.min(1, at / frames)) / channels.length);
      }
      converted.push(out);
    } finally {
      resampler.destroy();
    }
  }
  return converted;
}

/** A file that was made of another one. */
export interface Converted {
  readonly wav: Uint8Array;
  readonly format: AudioFormat;
  /** Of the file that it was made of. */
  readonly fromHz: number;
  readonly rateHz: number;
}

/**
 * Makes a WAV file of any file that can be read, at another rate if one is asked for. Resampled audio is written as
 * float, so that nothing is rounded or clipped once more.
 * @param toHz null keeps the rate
 */
export async function convertToWav(
  bytes: Uint8Array,
  fileName: string,
  toHz: number | null,
  tick: (share: number) => void = () => {},
): Promise<Outcome<Converted>> {
  const decoded = await decodeAudio(bytes, fileName);
  if (!decoded.ok) return decoded;
  const { channels, rateHz: fromHz, bits, format } = decoded.value;
  tick(0.1);
  const rateHz = toHz ?? fromHz;
  const made = await resample(channels, fromHz, rateHz, (share) => tick(0.1 + 0.85 * share));
  const wav = wavFile(made, rateHz, rateHz === fromHz ? bits : '32f');
  return success({ wav, format, fromHz, rateHz });
}
