import { failure, success, type Outcome } from '../outcome.ts';
import { rateParameter } from '../parameters/tables.ts';
import type { ByteSource } from './byte-source.ts';

const { fround } = Math;

export type SampleEncoding = 'pcm' | 'float';

/** What a WAV file holds and where. */
export interface WavLayout {
  readonly encoding: SampleEncoding;
  readonly bitsPerSample: 16 | 24 | 32 | 64;
  readonly channels: 1 | 2;
  readonly rateHz: number;
  readonly frames: number;
  /** Of the first frame, in bytes from the start of the file. */
  readonly dataOffset: number;
  readonly bytesPerFrame: number;
}

export interface WavFound {
  readonly layout: WavLayout;
  /** What is unusual about the file, though it can be read: sentences that name it. */
  readonly remarks: readonly string[];
}

/** Files have some ten; one of nothing but empty chunks would be read header by header to its end. */
const mostChunks = 1000;

const readable = 'Pannet reads WAV with PCM of 16, 24 or 32 bits, or float of 32 or 64 bits';

/**
 * Finds the layout of a WAV file. Chunks other than `fmt `, `ds64` and `data` are skipped, odd ones with their pad byte, also where
 * it is missing. Nothing but headers is read, so a header that lies about its size costs nothing.
 *
 * @param name the file's name, for the sentences
 * @returns a failure for what is not WAV, not a kind that is read, truncated, or contradicts itself
 * Source: Microsoft and IBM, "Multimedia Programming Interface and Data Specifications 1.0" (1991);
 * Microsoft, "Multiple channel audio data and WAVE files" (2007) for the extensible form; EBU Tech 3306 (2009) for RF64 and
 * ITU-R BS.2088 for BW64.
 */
export async function readWavLayout(source: ByteSource, name: string): Promise<Outcome<WavLayout>> {
  const found = await findWav(source, name);
  return found.ok ? success(found.value.layout) : found;
}

/** The same, with what is to be said about the file. */
export async function findWav(source: ByteSource, name: string): Promise<Outcome<WavFound>> {
  const refuse: Refuse = (code, sentence) => failure(code, `“${name}” ${sentence}`);
  if (source.size === 0) return refuse('empty-file', `is empty (0 bytes). ${readable}.`);
  const head = view(await source.read(0, 12));
  const kind = head.byteLength >= 12 ? ascii(head, 0) : '';
  const long = kind === 'RF64' || kind === 'BW64';
  if ((kind !== 'RIFF' && !long) || ascii(head, 8) !== 'WAVE')
    return refuse('not-wav', `is not a WAV file${looksLike(head)}. ${readable}.`);

  const remarks: string[] = [];
  let format: DataView | undefined;
  let longDataBytes: number | null = null;
  let offset = 12;
  for (let chunks = 0; offset + 8 <= source.size; chunks++) {
    if (chunks === mostChunks)
      return refuse(
        'too-many-chunks',
        `has no audio among its first ${mostChunks} chunks, so it is not read any further.`,
      );
    const chunk = view(await source.read(offset, 8));
    const id = ascii(chunk, 0);
    const size = chunk.getUint32(4, true);
    const body = offset + 8;
    if (id === 'data') {
      if (!format)
        return refuse('no-format', 'has audio data before its format chunk, so it cannot be read.');
      const there = source.size - body;
      const riffSize = head.getUint32(4, true);
      let bytes = size === unknownSize && longDataBytes !== null ? longDataBytes : size;
      const openEnded = longDataBytes === null && isOpenEnded(size, riffSize);
      if (openEnded) {
        bytes = there;
        remarks.push(
          `“${name}” was written as a stream, without its length: all that is there is taken.`,
        );
      } else if (bytes % 2 === 1 && bytes === there)
        remarks.push(`“${name}” has no pad byte behind its audio, though its size is odd.`);
      return layoutOf(format, body, bytes, source.size, openEnded, refuse, remarks);
    }
    if (body + size > source.size)
      return refuse(
        'truncated',
        `is cut short: its “${id.trim()}” chunk should have ${size} bytes, ${source.size - body} are there.`,
      );
    if (id === 'fmt ') format = view(await source.read(body, Math.min(size, 40)));
    if (id === 'ds64' && long && size >= 24) {
      const sizes = view(await source.read(body, 24));
      const bytes = sizes.getBigUint64(8, true);
      longDataBytes = bytes <= BigInt(Number.MAX_SAFE_INTEGER) ? Number(bytes) : Infinity;
    }
    offset = body + size;
    if (size % 2 === 1) {
      if (await beginsChunk(source, offset))
        remarks.push(
          `“${name}” has no pad byte behind its “${id.trim()}” chunk, though its size is odd.`,
        );
      else offset++;
    }
  }
  return refuse(
    'no-audio',
    'has no audio data: its data chunk is missing, or the file was cut short.',
  );
}

type Refuse = (code: string, sentence: string) => Outcome<never>;

/** What stands for a size that is told elsewhere, or nowhere. */
const unknownSize = 0xffff_ffff;

/**
 * Whether a writer could not go back to fill in the sizes, as into a pipe: all ones or zeros in both, or the largest that a
 * signed number holds in whole pages (from memory: what common tools write).
 */
function isOpenEnded(dataBytes: number, riffBytes: number): boolean {
  if (dataBytes >= 0xffff_ff00) return true;
  if (dataBytes === 0) return riffBytes === 0 || riffBytes >= 0xffff_ff00;
  return dataBytes >= 0x7fff_f000 && dataBytes <= 0x7fff_ffff && riffBytes >= dataBytes;
}

/** Whether one of the chunks that are read begins here, unpadded. */
async function beginsChunk(source: ByteSource, offset: number): Promise<boolean> {
  const bytes = view(await source.read(offset, 4));
  return bytes.byteLength === 4 && ['fmt ', 'data', 'LIST', 'fact'].includes(ascii(bytes, 0));
}

function layoutOf(
  format: DataView,
  dataOffset: number,
  dataBytes: number,
  fileBytes: number,
  openEnded: boolean,
  refuse: Refuse,
  remarks: readonly string[],
): Outcome<WavFound> {
  if (format.byteLength < 16) return refuse('bad-format', 'has a format chunk that is too short.');
  let tag = format.getUint16(0, true);
  const channels = format.getUint16(2, true);
  const rateHz = format.getUint32(4, true);
  const bytesPerFrame = format.getUint16(12, true);
  const bitsPerSample = format.getUint16(14, true);
  if (tag === 0xfffe && format.byteLength >= 26) tag = format.getUint16(24, true);
  const encoding = tag === 1 ? 'pcm' : tag === 3 ? 'float' : undefined;
  const known =
    (encoding === 'pcm' && [16, 24, 32].includes(bitsPerSample)) ||
    (encoding === 'float' && [32, 64].includes(bitsPerSample));
  if (!encoding || !known) {
    const what =
      encoding === undefined ? `format tag ${tag}` : `${encoding} of ${bitsPerSample} bits`;
    return refuse('unread-encoding', `is coded as ${what}. ${readable}.`);
  }
  if (channels !== 1 && channels !== 2)
    return refuse('channels', `has ${channels} channels; mono (1) and stereo (2) are read.`);
  if (rateHz < rateParameter.min || rateHz > rateParameter.max)
    return refuse('rate', `has a rate of ${rateHz} Hz; 8000 to 192000 Hz are read.`);
  if (bytesPerFrame !== (channels * bitsPerSample) / 8)
    return refuse(
      'bad-format',
      `contradicts itself: ${channels} × ${bitsPerSample} bits do not make ${bytesPerFrame} bytes a frame.`,
    );
  const there = fileBytes - dataOffset;
  if (dataBytes > there)
    return refuse(
      'truncated',
      `is cut short: its header promises ${dataBytes} bytes of audio, ${there} are there.`,
    );
  // Whoever streamed may have been stopped in the middle of a frame.
  if (dataBytes % bytesPerFrame !== 0 && !openEnded)
    return refuse('truncated', 'is cut short: its audio ends in the middle of a frame.');
  const frames = Math.floor(dataBytes / bytesPerFrame);
  if (frames === 0) return refuse('no-audio', 'has no audio: its data chunk is empty.');
  const layout: WavLayout = {
    encoding,
    bitsPerSample: bitsPerSample as WavLayout['bitsPerSample'],
    channels,
    rateHz,
    frames,
    dataOffset,
    bytesPerFrame,
  };
  return success({ layout, remarks });
}

/** Counts what is no number in a file. */
export interface Tally {
  notFinite: number;
}

/**
 * Decodes one channel of whole frames to floats of full scale ±1. Values that are not finite become 0.
 * @param bytes whole frames, as they lie in the file
 */
export function decodeChannel(
  bytes: Uint8Array,
  layout: WavLayout,
  channel: number,
  tally?: Tally,
): Float32Array {
  const { bytesPerFrame, bitsPerSample, encoding } = layout;
  const count = Math.floor(bytes.length / bytesPerFrame);
  const decoded = new Float32Array(count);
  const data = view(bytes);
  const first = (channel * bitsPerSample) / 8;
  if (encoding === 'float') {
    for (let n = 0, at = first; n < count; n++, at += bytesPerFrame) {
      // Rounded first: a double beyond the largest float would be Infinity only once it is one.
      const value = fround(
        bitsPerSample === 32 ? data.getFloat32(at, true) : data.getFloat64(at, true),
      );
      if (Number.isFinite(value)) decoded[n] = value;
      else if (tally) tally.notFinite++;
    }
  } else if (bitsPerSample === 16) {
    for (let n = 0, at = first; n < count; n++, at += bytesPerFrame)
      decoded[n] = data.getInt16(at, true) / 32_768;
  } else if (bitsPerSample === 24) {
    for (let n = 0, at = first; n < count; n++, at += bytesPerFrame)
      decoded[n] = (data.getUint16(at, true) | (data.getInt8(at + 2) << 16)) / 8_388_608;
  } else {
    for (let n = 0, at = first; n < count; n++, at += bytesPerFrame)
      decoded[n] = data.getInt32(at, true) / 2_147_483_648;
  }
  return decoded;
}

function view(bytes: Uint8Array): DataView {
  return new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
}

function ascii(data: DataView, offset: number): string {
  return String.fromCharCode(...[0, 1, 2, 3].map((n) => data.getUint8(offset + n)));
}

function looksLike(head: DataView): string {
  if (head.byteLength < 4) return '';
  const start = ascii(head, 0);
  if (start.startsWith('ID3') || (head.getUint16(0) & 0xffe0) === 0xffe0)
    return ': it begins like an MP3';
  if (start === 'fLaC') return ': it begins like a FLAC';
  if (start === 'OggS') return ': it begins like an Ogg file';
  if (start === 'FORM') return ': it begins like an AIFF';
  return '';
}
