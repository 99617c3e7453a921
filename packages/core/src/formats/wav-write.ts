import { seededRandom } from '../signal/random.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { round } = Math;

/** Depths that are written: 16 bits with dither, 24 bits, 32-bit float. */
export type WrittenBits = '16' | '24' | '32f';

const bytesPerSample: Record<WrittenBits, number> = { '16': 2, '24': 3, '32f': 4 };

/** The most bytes a RIFF size field can count; a longer file would need RF64. */
const riffLimit = 0xffff_ffff;

export function wavFits(frames: number, channels: number, bits: WrittenBits): boolean {
  return frames * channels * bytesPerSample[bits] + 80 <= riffLimit;
}

/**
 * The header in front of `frames` interleaved frames. 24 bits get the extensible form, float a fact chunk.
 * Source: as for reading; channel masks of the extensible form: 4 front centre, 3 front left and right.
 */
export function wavHeader(
  frames: number,
  channels: 1 | 2,
  rateHz: number,
  bits: WrittenBits,
): Uint8Array {
  const sampleBytes = bytesPerSample[bits];
  const frameBytes = channels * sampleBytes;
  const dataBytes = frames * frameBytes;
  const pad = dataBytes % 2;
  const formatBytes = bits === '16' ? 16 : bits === '24' ? 40 : 18;
  const factBytes = bits === '32f' ? 12 : 0;
  const headerBytes = 12 + 8 + formatBytes + factBytes + 8;
  const header = new DataView(new ArrayBuffer(headerBytes));
  const text = (offset: number, word: string) =>
    [...word].forEach((letter, n) => header.setUint8(offset + n, letter.charCodeAt(0)));
  text(0, 'RIFF');
  header.setUint32(4, headerBytes - 8 + dataBytes + pad, true);
  text(8, 'WAVEfmt ');
  header.setUint32(16, formatBytes, true);
  const tag = bits === '32f' ? 3 : 1;
  header.setUint16(20, bits === '24' ? 0xfffe : tag, true);
  header.setUint16(22, channels, true);
  header.setUint32(24, rateHz, true);
  header.setUint32(28, rateHz * frameBytes, true);
  header.setUint16(32, frameBytes, true);
  header.setUint16(34, sampleBytes * 8, true);
  if (bits === '24') {
    header.setUint16(36, 22, true);
    header.setUint16(38, 24, true);
    header.setUint32(40, channels === 1 ? 4 : 3, true);
    header.setUint16(44, tag, true);
    // The rest of the sub-format's identifier, KSDATAFORMAT_SUBTYPE.
    const tail = [0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xaa, 0, 0x38, 0x9b, 0x71];
    tail.forEach((byte, n) => header.setUint8(46 + n, byte));
  }
  if (factBytes) {
    text(20 + formatBytes, 'fact');
    header.setUint32(24 + formatBytes, 4, true);
    header.setUint32(28 + formatBytes, frames, true);
  }
  text(headerBytes - 8, 'data');
  header.setUint32(headerBytes - 4, dataBytes, true);
  return new Uint8Array(header.buffer);
}

/**
 * Turns channels of floats into interleaved bytes, block by block. Values beyond full scale are held at full scale in
 * the integer depths and counted in `clipped`.
 */
export class WavEncoder {
  readonly #bits: WrittenBits;
  // Triangular dither of ±1 step (two uniform draws), as the step down to 16 bits needs; the seed makes it repeatable.
  readonly #random = seededRandom(0x0d17e4);
  clipped = 0;

  constructor(bits: WrittenBits) {
    this.#bits = bits;
  }

  /** `count` frames from the start of each channel. */
  encode(channels: readonly Float32Array[], count: number): Uint8Array {
    const sampleBytes = bytesPerSample[this.#bits];
    const bytes = new Uint8Array(count * channels.length * sampleBytes);
    const data = new DataView(bytes.buffer);
    let at = 0;
    for (let n = 0; n < count; n++)
      for (const channel of channels) {
        this.#write(data, at, channel[n]);
        at += sampleBytes;
      }
    return bytes;
  }

  #write(data: DataView, at: number, value: number): void {
    if (this.#bits === '32f') {
      data.setFloat32(at, value, true);
    } else if (this.#bits === '24') {
      const whole = this.#hold(round(value * 8_388_608), 8_388_608);
      data.setUint16(at, whole & 0xffff, true);
      data.setInt8(at + 2, whole >> 16);
    } else {
      const dither = this.#random() - this.#random();
      data.setInt16(at, this.#hold(round(value * 32_768 + dither), 32_768), true);
    }
  }

  #hold(whole: number, scale: number): number {
    if (whole > scale - 1) {
      // Exactly +1 is one step over; that is rounding, not clipping.
      if (whole > scale) this.clipped++;
      return scale - 1;
    }
    if (whole < -scale) {
      this.clipped++;
      return -scale;
    }
    return whole;
  }
}

/** A whole small file at once; for tests and the demo song. */
export function wavFile(
  channels: readonly Float32Array[],
  rateHz: number,
  bits: WrittenBits,
): Uint8Array {
  const frames = channels[0].length;
  const header = wavHeader(frames, channels.length as 1 | 2, rateHz, bits);
  const body = new WavEncoder(bits).encode(channels, frames);
  const file = new Uint8Array(header.length + body.length + (body.length % 2));
  file.set(header);
  file.set(body, header.length);
  return file;
}
