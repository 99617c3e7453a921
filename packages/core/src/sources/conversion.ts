import { FailureError, success, type Outcome } from '../outcome.ts';
import type { AudioFormat } from '../formats/audio-format.ts';
import type { ByteSource } from '../formats/byte-source.ts';
import { WavEncoder, wavHeader, type WrittenBits } from '../formats/wav-write.ts';
import { openAudio, type AudioStream } from './decoding.ts';
import { Resampler } from './resampler.ts';

/** Audio as samples, with how finely it was written. */
export interface Decoded {
  readonly format: AudioFormat;
  readonly channels: readonly Float32Array[];
  readonly rateHz: number;
  /** What a WAV needs to hold it as it is. */
  readonly bits: WrittenBits;
}

/** Decodes a whole file; what cannot be decoded is said in a sentence that names it. */
export async function decodeAudio(source: ByteSource, fileName: string): Promise<Outcome<Decoded>> {
  const stream = await openAudio(source, fileName);
  if (!stream.ok) return stream;
  return sayingWhatIsBroken(async () => {
    const { format, rateHz, bits, pieces } = stream.value;
    const parts: (readonly Float32Array[])[] = [];
    for await (const { channels } of pieces) parts.push(channels);
    return { format, rateHz, bits, channels: joined(parts, stream.value.channels) };
  });
}

async function sayingWhatIsBroken<Value>(work: () => Promise<Value>): Promise<Outcome<Value>> {
  try {
    return success(await work());
  } catch (error) {
    if (error instanceof FailureError) return { ok: false, error: error.failure };
    throw error;
  }
}

function joined(parts: readonly (readonly Float32Array[])[], channels: number): Float32Array[] {
  const frames = parts.reduce((sum, [first]) => sum + first.length, 0);
  return Array.from({ length: channels }, (_, n) => {
    const whole = new Float32Array(frames);
    let at = 0;
    for (const part of parts) {
      whole.set(part[n], at);
      at += part[n].length;
    }
    return whole;
  });
}

/**
 * Converts the rate of whole channels; see `Resampler`.
 * @param tick told the share that is done; may throw to stop
 */
export async function resample(
  channels: readonly Float32Array[],
  fromHz: number,
  toHz: number,
  tick: (share: number) => void = () => {},
): Promise<Float32Array[]> {
  if (fromHz === toHz) return channels.map((channel) => channel.slice());
  const resampler = await Resampler.create(channels.length, fromHz, toHz);
  try {
    const parts: (readonly Float32Array[])[] = [];
    let made = 0;
    for (const part of resampler.push(channels)) {
      parts.push(part);
      made += part[0].length;
      tick(Math.min(1, (made * fromHz) / toHz / channels[0].length));
    }
    parts.push(...resampler.end());
    return joined(parts, channels.length);
  } finally {
    resampler.free();
  }
}

/** A file that was made of another one. */
export interface Converted {
  /** Goes in front of what was written. */
  readonly header: Uint8Array;
  readonly format: AudioFormat;
  /** Of the file that it was made of. */
  readonly fromHz: number;
  readonly rateHz: number;
}

/**
 * Makes a WAV file of any file that can be read, at another rate if one is asked for, piece by piece. Resampled audio is written
 * as float, so that nothing is rounded or clipped once more.
 * @param toHz null keeps the rate
 * @param write takes what comes behind the header, in order
 * @param tick told the share that is done; may throw to stop
 */
export async function convertToWav(
  source: ByteSource,
  fileName: string,
  toHz: number | null,
  write: (bytes: Uint8Array) => void | Promise<void>,
  tick: (share: number) => void = () => {},
): Promise<Outcome<Converted>> {
  const stream = await openAudio(source, fileName);
  if (!stream.ok) return stream;
  const { channels, rateHz: fromHz, format } = stream.value;
  const rateHz = toHz ?? fromHz;
  const bits = rateHz === fromHz ? stream.value.bits : '32f';
  const encoder = new WavEncoder(bits);
  return sayingWhatIsBroken(async () => {
    let frames = 0;
    let bytes = 0;
    for await (const piece of atRate(stream.value, rateHz, tick)) {
      const encoded = encoder.encode(piece, piece[0].length);
      frames += piece[0].length;
      bytes += encoded.length;
      await write(encoded);
    }
    if (bytes % 2 === 1) await write(new Uint8Array(1));
    return { header: wavHeader(frames, channels, rateHz, bits), format, fromHz, rateHz };
  });
}

async function* atRate(
  { pieces, channels, rateHz: fromHz }: AudioStream,
  toHz: number,
  tick: (share: number) => void,
): AsyncGenerator<readonly Float32Array[]> {
  const resampler = toHz === fromHz ? null : await Resampler.create(channels, fromHz, toHz);
  try {
    for await (const { channels: piece, share } of pieces) {
      if (resampler) yield* resampler.push(piece);
      else yield piece;
      tick(share);
    }
    if (resampler) yield* resampler.end();
  } finally {
    resampler?.free();
  }
}
