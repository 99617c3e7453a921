import { describe, expect, test } from '@jest/globals';
import { rms, sine } from '../measurement/signals.fixture.ts';
import { formatOf } from '../formats/audio-format.ts';
import { wavFile } from '../formats/wav-write.ts';
import { bytesInMemory, type ByteSource } from '../formats/byte-source.ts';
import { announcedSamples } from './announced-length.ts';
import { convertToWav, decodeAudio, resample } from './conversion.ts';
import { openAudio } from './decoding.ts';

describe('another rate', () => {
  test.each([
    [44_100, 48_000],
    [48_000, 44_100],
    [96_000, 48_000],
    [22_050, 48_000],
  ])('%i to %i Hz: a sine comes out in place, the error below −110 dB', async (from, to) => {
    const seconds = 1.5;
    const hz = 997;
    const [made] = await resample([sine(hz, -6, seconds, from)], from, to);
    expect(made).toHaveLength(Math.round(seconds * to));
    const exact = sine(hz, -6, seconds, to);
    const error = made.map((value, n) => value - exact[n]);
    const edge = Math.round(to / 20);
    const ratio = rms(error, edge, made.length - edge) / rms(exact, edge, made.length - edge);
    expect(20 * Math.log10(ratio)).toBeLessThan(-110);
  });

  test('the length is exact and the tail is in it', async () => {
    const click = new Float32Array(44_100);
    click[44_090] = 0.9;
    const [made] = await resample([click], 44_100, 48_000);
    expect(made).toHaveLength(48_000);
    let at = 0;
    for (let n = 0; n < made.length; n++) if (Math.abs(made[n]) > Math.abs(made[at])) at = n;
    expect(Math.abs(at - (44_090 * 48_000) / 44_100)).toBeLessThanOrEqual(1);
  });

  test('channels stay apart; progress is told, and can stop it', async () => {
    const left = sine(300, -6, 1, 44_100);
    const told: number[] = [];
    const made = await resample([left, new Float32Array(left.length)], 44_100, 48_000, (share) =>
      told.push(share),
    );
    expect(rms(made[0])).toBeCloseTo(rms(left), 3);
    expect(rms(made[1])).toBe(0);
    expect(told.every((share, n) => share <= 1 && (n === 0 || share >= told[n - 1]))).toBe(true);
    await expect(
      resample([left], 44_100, 48_000, () => {
        throw new Error('Stopped.');
      }),
    ).rejects.toThrow('Stopped.');
  });

  test('a WAV file becomes one at another rate, as float; at its own it stays as it is', async () => {
    const file = wavFile([sine(300, -6, 0.5, 44_100)], 44_100, '16');
    const made = await convertToWav(bytesInMemory(file), 'a.wav', 48_000, () => {});
    expect(made).toMatchObject({
      ok: true,
      value: { format: 'WAV', fromHz: 44_100, rateHz: 48_000 },
    });
    const same = await convertToWav(bytesInMemory(file), 'a.wav', null, () => {});
    expect(same).toMatchObject({ ok: true, value: { rateHz: 44_100 } });
  });
});

/** An AIFF file of one channel by Apple's Audio Interchange File Format 1.3 (1989). */
function aiff(samples: Uint8Array, bits: number, rate: readonly number[]): Uint8Array {
  const comm = [
    ...ascii('COMM'),
    0,
    0,
    0,
    18,
    0,
    1,
    0,
    0,
    0,
    samples.length / (bits / 8),
    0,
    bits,
    ...rate,
  ];
  const data = samples.length + 8;
  const ssnd = [...ascii('SSND'), 0, 0, 0, data, 0, 0, 0, 0, 0, 0, 0, 0, ...samples];
  const body = [...ascii('AIFF'), ...comm, ...ssnd];
  return Uint8Array.from([...ascii('FORM'), 0, 0, 0, body.length, ...body]);
}
const ascii = (text: string) => Array.from(text, (letter) => letter.charCodeAt(0));
/** 48,000 as an 80-bit float: 2¹⁵ · 1.46484375. */
const at48k = [0x40, 0x0e, 0xbb, 0x80, 0, 0, 0, 0, 0, 0];
const endless = [0x7f, 0xff, 0x80, 0, 0, 0, 0, 0, 0, 0];

describe('AIFF', () => {
  test('of 8 bits has signed samples', async () => {
    const made = await decodeAudio(
      bytesInMemory(aiff(Uint8Array.from([0, 64, 127, 128, 192, 255]), 8, at48k)),
      'a.aiff',
    );
    expect(made.ok && [...made.value.channels[0]].map((value) => value * 128)).toEqual([
      0, 64, 127, -128, -64, -1,
    ]);
  });

  test('at an endless rate is refused, and says which rates are read', async () => {
    const made = await decodeAudio(
      bytesInMemory(aiff(Uint8Array.from([1, 2]), 8, endless)),
      'a.aiff',
    );
    expect(made.ok ? 'read' : made.error.sentence).toMatch(/“a\.aiff”.*between 8000 and 192000 Hz/);
  });
});

test('no sample that is not finite gets past reading: doubles beyond the largest float', async () => {
  const frames = 64;
  const bytes = new DataView(new ArrayBuffer(44 + 8 * frames));
  const words = (at: number, text: string) =>
    ascii(text).forEach((code, n) => bytes.setUint8(at + n, code));
  words(0, 'RIFF');
  bytes.setUint32(4, 36 + 8 * frames, true);
  words(8, 'WAVEfmt ');
  bytes.setUint32(16, 16, true);
  [3, 1].forEach((value, n) => bytes.setUint16(20 + 2 * n, value, true));
  bytes.setUint32(24, 48_000, true);
  bytes.setUint32(28, 8 * 48_000, true);
  bytes.setUint16(32, 8, true);
  bytes.setUint16(34, 64, true);
  words(36, 'data');
  bytes.setUint32(40, 8 * frames, true);
  const values = [1e300, -1e39, NaN, -Infinity, 0.25];
  for (let n = 0; n < frames; n++) bytes.setFloat64(44 + 8 * n, values[n % 5], true);
  const made = await decodeAudio(bytesInMemory(new Uint8Array(bytes.buffer)), 'huge.wav');
  expect(made.ok && [...made.value.channels[0].subarray(0, 5)]).toEqual([0, 0, 0, 0, 0.25]);
});

describe('what a file is', () => {
  const bytes = (text: string) => Uint8Array.from(text, (letter) => letter.charCodeAt(0));

  test.each([
    ['RIFF0000WAVE', 'WAV'],
    ['fLaC', 'FLAC'],
    ['OggS', 'Ogg Vorbis'],
    ['FORM0000AIFF', 'AIFF'],
    ['FORM0000AIFC', 'AIFF'],
    ['ID3', 'MP3'],
    ['\xff\xfb\x90', 'MP3'],
    ['%PDF-1.7', null],
    ['FORM0000ILBM', null],
  ])('is told by its first bytes: %j', (text, format) => {
    expect(formatOf(bytes(text))).toBe(format);
  });

  test.each([
    ['nothing at all', ''],
    ['a text', 'Dear all,'],
    ['a FLAC file that ends at once', 'fLaC'],
    ['an Ogg file that ends at once', 'OggS'],
    ['an AIFF file that ends at once', 'FORM0000AIFF'],
    ['an MP3 file that ends at once', 'ID3'],
  ])('%s is refused with a sentence that names it', async (_, text) => {
    const made = await convertToWav(bytesInMemory(bytes(text)), 'odd.bin', 48_000, () => {});
    expect(made.ok).toBe(false);
    if (!made.ok) expect(made.error.sentence).toMatch(/^“odd\.bin” .*\.$/);
  });
});

/** A file that is only headers: what is behind them is never there, and must not be asked for. */
function headersOnly(
  head: Uint8Array,
  size: number,
): ByteSource & { readonly asked: () => number } {
  let asked = 0;
  return {
    size,
    asked: () => asked,
    read: (offset, length) => {
      asked += length;
      const bytes = new Uint8Array(Math.max(0, Math.min(length, size - offset)));
      bytes.set(head.subarray(offset, offset + bytes.length));
      return Promise.resolve(bytes);
    },
  };
}

test('a long file is converted piece by piece: no more is read or handed over at once than a second or two', async () => {
  const frames = 600 * 48_000;
  const head = wavFile([new Float32Array(1), new Float32Array(1)], 48_000, '24').slice(0, 68);
  new DataView(head.buffer).setUint32(64, frames * 6, true);
  const virtual = headersOnly(head, 68 + frames * 6);
  let [largest, written, pieces] = [0, 0, 0];
  const source: ByteSource = {
    size: virtual.size,
    read: (offset, length) => {
      largest = Math.max(largest, length);
      return virtual.read(offset, length);
    },
  };
  const made = await convertToWav(source, 'long.wav', null, (bytes) => {
    largest = Math.max(largest, bytes.length);
    written += bytes.length;
    pieces++;
  });
  expect(made.ok).toBe(true);
  expect(written).toBe(frames * 6);
  expect(pieces).toBeGreaterThan(500);
  expect(largest).toBeLessThan(1_000_000);
});

describe('what is too long is told from its headers', () => {
  test('a WAV of two hours at another rate is refused before it is read', async () => {
    const frames = 2 * 3600 * 96_000;
    const head = wavFile([new Float32Array(1), new Float32Array(1)], 96_000, '24').slice(0, 68);
    const view = new DataView(head.buffer);
    view.setUint32(4, 60 + frames * 6, true);
    const dataAt = head.findIndex(
      (_, n) => String.fromCharCode(...head.subarray(n, n + 4)) === 'data',
    );
    view.setUint32(dataAt + 4, frames * 6, true);
    const source = headersOnly(head, dataAt + 8 + frames * 6);
    const refused = await openAudio(source, 'long.wav');
    expect(refused.ok ? '' : refused.error.sentence).toMatch(
      /“long\.wav” is too long .*69 minutes/,
    );
    expect(source.asked()).toBeLessThan(2000);
  });

  test('FLAC says it in its first block (RFC 9639, 8.2)', async () => {
    const head = new Uint8Array(42);
    head.set([0x66, 0x4c, 0x61, 0x43, 0x80, 0, 0, 34]);
    // 48000 Hz, stereo, 24 bits, 2 h.
    const frames = 2 * 3600 * 48_000;
    head.set([0x0b, 0xb8, 0x03, 0x70 | (frames / 2 ** 32)], 18);
    new DataView(head.buffer).setUint32(22, frames % 2 ** 32);
    const source = headersOnly(head, 900_000_000);
    expect(await announcedSamples(source, 'FLAC')).toBe(frames * 2);
    expect((await openAudio(source, 'x.flac')).ok).toBe(false);
  });

  test('AIFF says it in its common chunk (Audio Interchange File Format 1.3)', async () => {
    const head = new Uint8Array(64);
    const view = new DataView(head.buffer);
    head.set(new TextEncoder().encode('FORM'), 0);
    head.set(new TextEncoder().encode('AIFFCOMM'), 8);
    view.setUint32(16, 18);
    view.setUint16(20, 2);
    view.setUint32(22, 345_600_000);
    expect(await announcedSamples(headersOnly(head, 3_000_000_000), 'AIFF')).toBe(691_200_000);
  });

  test('MPEG audio is counted from header to header, behind a tag', async () => {
    const frame = new Uint8Array(417);
    // MPEG 1, layer III, 128 kbit/s, 44100 Hz, stereo.
    frame.set([0xff, 0xfb, 0x90, 0x00]);
    const tag = new Uint8Array(10 + 300);
    tag.set([0x49, 0x44, 0x33, 4, 0, 0, 0, 0, 2, 44]);
    const bytes = new Uint8Array(tag.length + 500 * frame.length);
    bytes.set(tag);
    for (let n = 0; n < 500; n++) bytes.set(frame, tag.length + n * frame.length);
    expect(await announcedSamples(headersOnly(bytes, bytes.length), 'MP3')).toBe(500 * 1152 * 2);
  });
});
