import { describe, expect, test } from '@jest/globals';
import { rms, sine } from '../measurement/signals.fixture.ts';
import { formatOf } from '../formats/audio-format.ts';
import { wavFile } from '../formats/wav-write.ts';
import { convertToWav, decodeAudio, resample } from './conversion.ts';

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
    const made = await convertToWav(file, 'a.wav', 48_000);
    expect(made).toMatchObject({
      ok: true,
      value: { format: 'WAV', fromHz: 44_100, rateHz: 48_000 },
    });
    const same = await convertToWav(file, 'a.wav', null);
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
      aiff(Uint8Array.from([0, 64, 127, 128, 192, 255]), 8, at48k),
      'a.aiff',
    );
    expect(made.ok && [...made.value.channels[0]].map((value) => value * 128)).toEqual([
      0, 64, 127, -128, -64, -1,
    ]);
  });

  test('at an endless rate is refused, and says which rates are read', async () => {
    const made = await decodeAudio(aiff(Uint8Array.from([1, 2]), 8, endless), 'a.aiff');
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
  const made = await decodeAudio(new Uint8Array(bytes.buffer), 'huge.wav');
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
    const made = await convertToWav(bytes(text), 'odd.bin', 48_000);
    expect(made.ok).toBe(false);
    if (!made.ok) expect(made.error.sentence).toMatch(/^“odd\.bin” .*\.$/);
  });
});
