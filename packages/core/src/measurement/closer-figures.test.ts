import { describe, expect, test } from '@jest/globals';
import { sidesByBand, sideToMidBands, lowBand } from './across-bands.ts';
import { definitions } from './definitions.ts';
import { DynamicsMeter } from './dynamics.ts';
import { LoudnessMeter } from './loudness.ts';
import { measureStereo } from './report.ts';
import { delayed, joined, noise, sine } from './signals.fixture.ts';
import { stereoSpectra } from './spectra.ts';

const { abs, max } = Math;
const rate = 48_000;

/** EBU Tech 3342, table of minimum requirements; the cases as listed there, from memory. Tolerance ±1 LU. */
describe('EBU Tech 3342', () => {
  test.each([
    ['case 1', [-20, -30], 10],
    ['case 2', [-20, -15], 5],
    ['case 3', [-40, -20], 20],
    ['case 4', [-50, -35, -20, -35, -50], 15],
  ])('%s, loudness range', (_, levels, expected) => {
    const side = joined(...levels.map((level) => sine(1000, level, 20, rate)));
    const meter = new LoudnessMeter(rate, 2);
    meter.process([side, side], side.length);
    expect(abs(meter.range() - expected)).toBeLessThan(1);
  });
});

describe('loss over time', () => {
  test('three seconds of opposite sides are found in five minutes, and where', () => {
    const low = 8000;
    const seconds = 300;
    const left = noise(seconds, low, 1);
    const right = left.slice();
    for (let n = 137 * low; n < 140 * low; n++) right[n] = -right[n];
    const { overTime, fold } = measureStereo(left, right, low).report;
    expect(overTime.worst?.lossLu).toBeLessThan(-40);
    expect(abs((overTime.worst?.fromSeconds ?? 0) - 137)).toBeLessThan(0.11);
    expect(overTime.worst?.toSeconds).toBeCloseTo((overTime.worst?.fromSeconds ?? 0) + 3, 9);
    expect(overTime.moments.length).toBeLessThanOrEqual(240);
    // The whole hardly notices.
    expect(fold.lossDb).toBeGreaterThan(-0.5);
  });

  test('silence has no worst moment, a short stretch has one figure, gaps have none', () => {
    const silent = new Float32Array(rate);
    expect(measureStereo(silent, silent, rate).report.overTime.worst).toBeNull();
    const short = noise(1, rate, 2);
    const brief = measureStereo(short, short, rate).report.overTime;
    expect(brief.moments).toHaveLength(1);
    expect(brief.worst).toMatchObject({ fromSeconds: 0, toSeconds: 1 });
    expect(brief.worst?.lossLu).toBeCloseTo(0, 6);
    const gapped = joined(noise(4, rate, 3), new Float32Array(5 * rate), noise(4, rate, 4));
    const { moments } = measureStereo(gapped, gapped, rate).report.overTime;
    expect(moments.some(({ lossLu }) => lossLu === null)).toBe(true);
  });
});

describe('bands', () => {
  const tones = (low: Float32Array, high: Float32Array) => low.map((value, n) => value + high[n]);
  const bass = sine(100, -20, 4, rate);
  const top = sine(5000, -20, 4, rate);
  const nothing = new Float32Array(bass.length);

  test('S/M apart: a mono low end under sides that share nothing above', () => {
    const left = tones(bass, top);
    const right = tones(bass, nothing);
    const bands = sideToMidBands(stereoSpectra(left, right, rate));
    expect(bands.lowDb).toBeLessThan(-50);
    expect(bands.highDb).toBeCloseTo(0, 1);
  });

  test('correlation, place and level of each third octave', () => {
    const left = tones(bass, top);
    const right = tones(
      bass,
      top.map((value) => -value / 2),
    );
    const rows = sidesByBand(stereoSpectra(left, right, rate), rate, left.length);
    const at = (hz: number) => rows.find((row) => row.hz === hz);
    expect(at(100)?.correlation).toBeCloseTo(1, 6);
    expect(at(100)?.place).toBeCloseTo(0, 6);
    expect(at(5000)?.correlation).toBeCloseTo(-1, 6);
    // A quarter of the power on the right: (0.25 − 1)/1.25.
    expect(at(5000)?.place).toBeCloseTo(-0.6, 3);
    expect(at(1000)?.correlation).toBeNull();
    expect((at(100)?.levelDb ?? 0) - (at(5000)?.levelDb ?? 0)).toBeCloseTo(2.04, 1);
  });

  test('the low end of two late copies: as much in the sides, less in the fold', () => {
    const early = sine(100, -20, 4, rate);
    const late = delayed(early, 200);
    const { stereoDb, foldDb, share } = lowBand(stereoSpectra(early, late, rate), early.length);
    // |cos(π·100·200/48000)| = cos 75°.
    expect(foldDb - stereoDb).toBeCloseTo(20 * Math.log10(Math.cos((75 * Math.PI) / 180)), 1);
    expect(share).toBeCloseTo(1, 3);
  });
});

describe('crest and spread', () => {
  const of = (samples: Float32Array) => {
    const meter = new DynamicsMeter(rate);
    meter.process(samples);
    return meter.dynamics();
  };

  test('a sine has 3.01 dB of crest, a square none, silence no figure', () => {
    expect(of(sine(1000, -6, 2, rate))?.crestDb).toBeCloseTo(3.01, 2);
    expect(of(sine(1000, -6, 2, rate).map(Math.sign))?.crestDb).toBeCloseTo(0, 1);
    expect(of(sine(1000, -6, 2, rate))?.spreadDb).toBeCloseTo(0, 2);
    expect(of(new Float32Array(rate))).toBeNull();
  });

  test('a side that falls by 20 dB spreads by as much; squashed it spreads less, gaps do not count', () => {
    const falling = joined(sine(1000, -6, 2, rate), sine(1000, -26, 2, rate));
    expect(of(falling)?.spreadDb).toBeCloseTo(20, 1);
    expect(of(joined(falling, new Float32Array(rate)))?.spreadDb).toBeCloseTo(20, 1);
    const squashed = falling.map((value) => Math.tanh(8 * value));
    expect(of(squashed)?.spreadDb).toBeLessThan(12);
    expect(of(squashed)?.crestDb).toBeLessThan(of(falling)?.crestDb ?? 0);
  });
});

describe('the comb in the sound', () => {
  const dry = noise(8, rate, 7);

  test.each([
    ['one side 12 ms late', 12, 1, 1],
    ['one side 3 ms late and softer', 3, 0.5, 1],
    ['one side 7 ms late, turned round', 7, 1, -1],
  ])('%s', (_, ms, gain, sign) => {
    const late = delayed(dry, (ms * rate) / 1000).map((value) => value * gain * sign);
    const { comb } = measureStereo(dry, late, rate).report;
    expect(comb?.delayMs).toBeCloseTo(ms, 1);
    expect(comb?.polarity).toBe(sign > 0 ? 'equal' : 'opposite');
    const first = sign > 0 ? 500 / ms : 1000 / ms;
    expect(abs((comb?.notchesHz[0] ?? 0) - first)).toBeLessThan(first * 0.01);
    // Means over a quarter of the comb's period: shallower than the bottom of the notch.
    expect(comb?.depthDb).toBeGreaterThan(gain === 1 ? 8 : 4);
  });

  test('there is none where sides are equal or strangers', () => {
    expect(measureStereo(dry, dry, rate).report.comb).toBeNull();
    expect(measureStereo(dry, noise(8, rate, 8), rate).report.comb).toBeNull();
  });
});

test('all figures of any two sides can be written as JSON', () => {
  const { report } = measureStereo(noise(2, rate, 1), sine(50, -120, 2, rate), rate);
  const numbers: number[] = [];
  JSON.stringify(report, (_, value: unknown) => {
    if (typeof value === 'number') numbers.push(value);
    return value;
  });
  expect(numbers.every(Number.isFinite)).toBe(true);
  expect(max(...numbers)).toBeGreaterThan(0);
});

test('behind every figure stand two sentences and a source', () => {
  for (const { label, text, source } of Object.values(definitions)) {
    expect(text.split(/\. (?=\S)/)).toHaveLength(2);
    expect(text.endsWith('.')).toBe(true);
    expect(label.length * source.length).toBeGreaterThan(0);
  }
});
