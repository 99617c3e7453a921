import { expect, test } from '@jest/globals';
import { thirdOctaveBands } from '../measurement/bands.ts';
import { seededRandom } from '../signal/random.ts';
import { portraitOf, shareOver } from './portrait.ts';

const rate = 48_000;
const bands = thirdOctaveBands(rate).map(({ hz }) => hz);
const sine = (hz: number, level: number, seconds: number) =>
  Float32Array.from(
    { length: seconds * rate },
    (_, n) => level * Math.sin((2 * Math.PI * hz * n) / rate),
  );

test.each([63, 1000, 8000])(
  'a sine of %i Hz at half of full scale is at −9.03 dBFS in its band',
  (hz) => {
    const { bandsDb } = portraitOf(sine(hz, 0.5, 4), rate);
    expect(bandsDb[bands.indexOf(hz)]).toBeCloseTo(20 * Math.log10(0.5) - 10 * Math.log10(2), 0);
    for (const [n, db] of bandsDb.entries())
      if (Math.abs(n - bands.indexOf(hz)) > 2) expect(db ?? -200).toBeLessThan(-45);
  },
);

test('white noise rises by a decibel a third of an octave: its power goes with the width of the band', () => {
  const random = seededRandom(3);
  const noise = Float32Array.from({ length: 8 * rate }, () => 0.2 * (2 * random() - 1));
  const { bandsDb } = portraitOf(noise, rate);
  // Uniform noise: a third of its peak squared, so much of it as the band has of half the rate.
  for (const [n, { highHz, lowHz }] of thirdOctaveBands(rate).entries())
    if (lowHz > 100)
      expect(bandsDb[n]).toBeCloseTo(
        10 * Math.log10(((0.04 / 3) * (highHz - lowHz)) / (rate / 2)),
        0,
      );
});

test('997 Hz at −23 dBFS is at −26.0 LUFS, one channel; what is silent has no figure', () => {
  // ITU-R BS.1770-5 annex 1: 0 dBFS at 997 Hz in one front channel reads −3.01 LKFS.
  const loud = sine(997, 10 ** (-23 / 20), 6);
  const half = new Float32Array(2 * loud.length);
  half.set(loud);
  const portrait = portraitOf(half, rate);
  expect(portraitOf(loud, rate).lufs).toBeCloseTo(-26.01, 1);
  expect(portrait.loudness[5]).toBeCloseTo(-26.01, 1);
  expect(portrait.loudness.at(-1)).toBeNull();
  expect(portrait.loudness).toHaveLength(30);
  expect(shareOver(portrait, -27)).toBeGreaterThan(0.9);
  expect(shareOver(portrait, -25)).toBe(0);
  const nothing = portraitOf(new Float32Array(rate), rate);
  expect(nothing.lufs).toBeNull();
  expect(nothing.bandsDb.every((db) => db === null)).toBe(true);
  expect(shareOver(nothing, -60)).toBe(0);
});

test('what is shorter than a window has a portrait, too', () => {
  expect(portraitOf(new Float32Array(1), rate).loudness).toEqual([]);
  expect(portraitOf(sine(1000, 0.5, 0.05), rate).lufs).not.toBeNull();
});
