import { failure, FailureError, success, type Outcome } from '../outcome.ts';
import { formatOf, type AudioFormat } from '../formats/audio-format.ts';
import type { ByteSource } from '../formats/byte-source.ts';
import { readWavLayout } from '../formats/wav-read.ts';
import type { WrittenBits } from '../formats/wav-write.ts';
import { checkParameter } from '../parameters/parameter.ts';
import { rateParameter } from '../parameters/tables.ts';
import { announcedSamples } from './announced-length.ts';
import { decodePieces, type RawPiece } from './decoders.ts';
import { wavPieces } from './wav-blocks.ts';

/** Audio that is decoded piece by piece while it is asked for: no file lies in memory as a whole. */
export interface AudioStream {
  readonly format: AudioFormat;
  readonly rateHz: number;
  readonly channels: 1 | 2;
  /** What a WAV needs to hold it as it is. */
  readonly bits: WrittenBits;
  /**
   * All channels of some frames, in order, every sample finite, with the share of the file that is read, 0 to 1. Throws a
   * `FailureError` where the file turns out to be broken, or too long.
   */
  readonly pieces: AsyncGenerator<DecodedPiece>;
}

export interface DecodedPiece {
  readonly channels: readonly Float32Array[];
  readonly share: number;
}

/** Samples of all channels together that are converted: an hour of stereo at 48 kHz and more. */
const mostSamples = 400e6;

/** Begins to decode a file; what cannot be decoded is said in a sentence that names it. */
export async function openAudio(
  source: ByteSource,
  fileName: string,
): Promise<Outcome<AudioStream>> {
  const format = formatOf(await source.read(0, Math.min(16, source.size)));
  if (format === null)
    return failure(
      'unknown-format',
      `“${fileName}” is not audio that can be read: WAV, FLAC, MP3, Ogg Vorbis and AIFF can.`,
    );
  const samples = await announcedSamples(source, format);
  // Told from its headers: refused before it has been read or decoded.
  if (samples !== null && samples > mostSamples) return refused(tooLong(fileName));
  if (format === 'WAV') return openWav(source, fileName);
  const pieces = decodePieces(format, source);
  try {
    const first = await firstSound(pieces);
    if (first === null) return refused(broken(fileName, format, 'there is no sound in it'));
    const { rateHz, channels, bits } = first;
    const rate = checkParameter(rateParameter, rateHz, 'rateHz');
    if (!rate.ok) return refused(broken(fileName, format, rate.error.sentence.replace(/\.$/, '')));
    if (channels.length > 2)
      return failure(
        'too-many-channels',
        `“${fileName}” has ${channels.length} channels; mono and stereo can be read.`,
      );
    return success({
      format,
      rateHz,
      channels: channels.length as 1 | 2,
      bits,
      pieces: checkedPieces(first, pieces, fileName, format),
    });
  } catch (error) {
    return refused(broken(fileName, format, reasonOf(error)));
  }
}

async function openWav(source: ByteSource, fileName: string): Promise<Outcome<AudioStream>> {
  const layout = await readWavLayout(source, fileName);
  if (!layout.ok) return layout;
  const { encoding, bitsPerSample, rateHz, channels } = layout.value;
  const bits = encoding === 'float' || bitsPerSample > 24 ? '32f' : '24';
  return success({
    format: 'WAV',
    rateHz,
    channels,
    bits,
    pieces: wavPieces(source, layout.value),
  });
}

async function firstSound(pieces: AsyncGenerator<RawPiece>): Promise<RawPiece | null> {
  for (;;) {
    const { value, done } = await pieces.next();
    if (done) return null;
    if (value.channels.length > 0 && value.channels[0].length > 0) return value;
  }
}

async function* checkedPieces(
  first: RawPiece,
  rest: AsyncGenerator<RawPiece>,
  fileName: string,
  format: AudioFormat,
): AsyncGenerator<DecodedPiece> {
  const count = first.channels.length;
  let samples = 0;
  const checked = ({ channels, rateHz, share }: RawPiece): DecodedPiece => {
    if (channels.length !== count || rateHz !== first.rateHz)
      throw new Damage('its rate or its channels change on the way');
    samples += count * channels[0].length;
    // Where its headers did not say so.
    if (samples > mostSamples) throw tooLong(fileName);
    for (const channel of channels)
      for (let n = 0; n < channel.length; n++) if (!Number.isFinite(channel[n])) channel[n] = 0;
    return { channels, share };
  };
  try {
    yield checked(first);
    for await (const piece of rest) if (piece.channels[0]?.length) yield checked(piece);
  } catch (error) {
    throw error instanceof FailureError ? error : broken(fileName, format, reasonOf(error));
  } finally {
    await rest.return(undefined);
  }
}

/** What is wrong with a file, in words of ours. */
class Damage extends Error {}

/** What a decoder says of a broken file are words for whoever wrote the decoder. */
function reasonOf(error: unknown): string {
  return error instanceof Damage ? error.message : 'it is damaged';
}

function broken(fileName: string, format: AudioFormat, why: string): FailureError {
  return new FailureError({
    code: 'broken-file',
    sentence: `“${fileName}” cannot be read as ${format}: ${why}.`,
  });
}

function tooLong(fileName: string): FailureError {
  return new FailureError({
    code: 'too-long',
    sentence: `“${fileName}” is too long to be converted at once: up to 69 minutes of stereo at 48 kHz can be. Bounce it as a WAV file at the song's rate, or in pieces.`,
  });
}

function refused({ failure: error }: FailureError): Outcome<never> {
  return { ok: false, error };
}
