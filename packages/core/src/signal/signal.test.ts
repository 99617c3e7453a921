import { describe, expect, test } from '@jest/globals';
import { Biquad } from './biquad.ts';
import { Cascade } from './cascade.ts';
import { fadeTable } from './fade.ts';
import { bell } from './filters.ts';
import { brisk, gentle, HalfBand, steep } from './half-band.ts';
import { seededRandom } from './random.ts';
import { delayTaps, interpolationWeights, movingPhases, movingTable, movingTaps } from './sinc.ts';
import { hannWindow, nextPowerOfTwo, RealFft } from './spectrum.ts';

describe('windowed-sinc interpolation', () => {
  const response = (weights: Float64Array, fraction: number, turns: number) => {
    let re = 0;
    let im = 0;
    const centre = weights.length / 2 - 1 + fraction;
    weights.forEach((weight, k) => {
      re += weight * Math.cos(2 * Math.PI * turns * (k - centre));
      im += weight * Math.sin(2 * Math.PI * turns * (k - centre));
    });
    return {
      db: 20 * Math.log10(Math.hypot(re, im)),
      samples: Math.atan2(im, re) / (2 * Math.PI * turns),
    };
  };

  test.each([0.01, 0.1, 0.25, 0.5, 0.77, 0.99])(
    'at %f of a sample it is flat and exact to 10 kHz of 44.1',
    (fraction) => {
      for (const hz of [100, 1000, 5000, 10_000])
        for (const taps of [delayTaps, movingTaps]) {
          const { db, samples } = response(
            interpolationWeights(fraction, taps),
            fraction,
            hz / 44_100,
          );
          expect(Math.abs(db)).toBeLessThan(0.05);
          expect(Math.abs(samples)).toBeLessThan(0.01);
        }
    },
  );

  test('at no fraction it is the sample itself', () => {
    const weights = interpolationWeights(0, delayTaps);
    weights.forEach((weight, k) => expect(weight).toBeCloseTo(k === delayTaps / 2 - 1 ? 1 : 0, 12));
  });

  test('the table of the moving reader has its rows', () => {
    const row = movingTable().subarray(1000 * movingTaps, 1001 * movingTaps);
    expect(row).toEqual(interpolationWeights(1000 / movingPhases, movingTaps));
  });
});

test('a fade rises steadily, symmetrically, and flat at both ends', () => {
  const fade = fadeTable(1024);
  for (let n = 1; n < fade.length; n++) expect(fade[n]).toBeGreaterThan(fade[n - 1]);
  for (let n = 0; n < 512; n++) expect(fade[n] + fade[1023 - n]).toBeCloseTo(1, 12);
  expect(fade[1]).toBeLessThan(1e-6);
});

describe('a biquad', () => {
  // RBJ Audio EQ Cookbook, low pass at a quarter of the rate with Q = 1/√2: b = (1, 2, 1)·k, its poles at ±j·0.414.
  const k = 1 / (2 + Math.SQRT2);
  const lowPass = { b0: k, b1: 2 * k, b2: k, a1: 0, a2: (2 - Math.SQRT2) / (2 + Math.SQRT2) };

  test('passes a constant and stops half the rate', () => {
    const filter = new Biquad(lowPass);
    const output = new Float64Array(400);
    filter.process(new Float64Array(400).fill(1), output, 400);
    expect(output[399]).toBeCloseTo(1, 9);
    const other = new Biquad(lowPass);
    other.process(
      Float64Array.from({ length: 400 }, (_, n) => (n % 2 ? -1 : 1)),
      output,
      400,
    );
    expect(output[399]).toBeCloseTo(0, 9);
  });

  test('dies away to nothing at all, with no denormal numbers left', () => {
    const filter = new Biquad({ ...lowPass, a2: 0.98 });
    const impulse = new Float64Array(128);
    impulse[0] = 1;
    const output = new Float64Array(128);
    filter.process(impulse, output, 128);
    impulse[0] = 0;
    for (let n = 0; n < 100; n++) filter.process(impulse, output, 128);
    expect(output.every((value) => value === 0)).toBe(true);
  });
});

describe('a cascade', () => {
  test.each([0, 1, 2, 3, 4, 5])('of %d sections does what they do one after the other', (count) => {
    const random = seededRandom(7 + count);
    const coefficients = Array.from({ length: count }, (_, n) =>
      bell(200 * (n + 1), n % 2 ? 6 : -4, 0.7 + n, 48_000),
    );
    const cascade = new Cascade(coefficients);
    const sections = coefficients.map((one) => new Biquad(one));
    for (const length of [1, 777, 4096]) {
      // Silence at its end, where states die away.
      const sound = Float64Array.from({ length }, (_, n) => (n < 3000 ? random() - 0.5 : 0));
      const wanted = sound.slice();
      for (const section of sections) section.process(wanted, wanted, length);
      // Another one that is told what this one remembers goes on alike.
      const other = new Cascade(coefficients);
      other.state = cascade.state;
      const again = sound.slice();
      cascade.process(sound);
      other.process(again);
      expect(sound).toEqual(wanted);
      expect(again).toEqual(wanted);
    }
  });
});

describe('a half-band filter', () => {
  test.each([steep, brisk, gentle])('does the same in pieces of any size', (taps) => {
    const random = seededRandom(9);
    const sound = Float64Array.from({ length: 5000 }, () => random() - 0.5);
    const whole = new HalfBand(taps).upsample(sound).slice();
    const back = new Float64Array(5000);
    new HalfBand(taps).downsample(whole, back);
    const [up, down] = [new HalfBand(taps), new HalfBand(taps)];
    const [pieces, halves] = [new Float64Array(10_000), new Float64Array(5000)];
    const sizes = [1, 2, 3, 1200, 5, 3000, 700, 89];
    let at = 0;
    for (const size of sizes) {
      const twice = up.upsample(sound.subarray(at, at + size));
      expect(twice).toHaveLength(2 * size);
      pieces.set(twice, 2 * at);
      down.downsample(twice, halves.subarray(at, at + size));
      at += size;
    }
    expect(at).toBe(5000);
    expect(pieces).toEqual(whole);
    expect(halves).toEqual(back);
  });
});

describe('spectrum', () => {
  test('a sine on a bin is in that bin alone, and comes back', () => {
    const fft = new RealFft(256);
    const samples = Float64Array.from({ length: 256 }, (_, n) =>
      Math.cos((2 * Math.PI * 8 * n) / 256),
    );
    const spectrum = fft.createSpectrum();
    fft.forward(samples, spectrum);
    for (let bin = 0; bin <= 128; bin++)
      expect(Math.hypot(spectrum[2 * bin], spectrum[2 * bin + 1])).toBeCloseTo(
        bin === 8 ? 128 : 0,
        9,
      );
    const back = fft.createSpectrum();
    fft.inverse(spectrum, back);
    samples.forEach((value, n) => expect(back[2 * n]).toBeCloseTo(value, 9));
  });

  test('Hann windows that overlap by half add up to one', () => {
    const window = hannWindow(64);
    for (let n = 0; n < 32; n++) expect(window[n] + window[n + 32]).toBeCloseTo(1, 12);
    expect(nextPowerOfTwo(1000)).toBe(1024);
    expect(nextPowerOfTwo(1024)).toBe(1024);
  });
});

test('seeded numbers are the same each time, spread evenly, and differ by seed', () => {
  const take = (seed: number) => {
    const random = seededRandom(seed);
    return Array.from({ length: 10_000 }, random);
  };
  expect(take(1)).toEqual(take(1));
  expect(take(1)).not.toEqual(take(2));
  const mean = take(3).reduce((sum, value) => sum + value, 0) / 10_000;
  expect(Math.abs(mean - 0.5)).toBeLessThan(0.01);
  expect(take(4).every((value) => value >= 0 && value < 1)).toBe(true);
});
