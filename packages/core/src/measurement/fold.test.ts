import { describe, expect, test } from '@jest/globals';
import { thirdOctaveBands } from './bands.ts';
import { combDepthDb, combMagnitude, notchFrequencies } from './comb.ts';
import { foldVerdict, worstBand } from './fold.ts';
import { measureStereo } from './report.ts';
import { delayed, noise, sine } from './signals.fixture.ts';

const rate = 48_000;
const seconds = 8;

describe('third octaves', () => {
  test('have the edges of IEC 61260-1 (base ten)', () => {
    const bands = thirdOctaveBands(rate);
    expect(bands).toHaveLength(30);
    const kilohertz = bands.find((band) => band.hz === 1000);
    expect(kilohertz?.lowHz).toBeCloseTo(891.25, 2);
    expect(kilohertz?.highHz).toBeCloseTo(1122.02, 2);
    expect(bands.find((band) => band.hz === 31.5)?.centreHz).toBeCloseTo(31.623, 3);
    for (let n = 1; n < bands.length; n++)
      expect(bands[n].lowHz).toBeCloseTo(bands[n - 1].highHz, 6);
  });
  test('end below half the rate', () => {
    expect(thirdOctaveBands(16_000).at(-1)?.hz).toBe(6300);
  });
});

describe('comb', () => {
  test('a delay of 12 ms has its first notches at 41.67, 125 and 208.3 Hz: (2k+1)/2τ', () => {
    expect(notchFrequencies(0.012, 'equal', 3)).toEqual([
      expect.closeTo(41.667, 3),
      expect.closeTo(125, 3),
      expect.closeTo(208.333, 3),
    ]);
    expect(notchFrequencies(-0.012, 'opposite', 2)[0]).toBeCloseTo(83.333, 3);
    expect(notchFrequencies(0, 'equal', 3)).toEqual([]);
  });
  test('the depth of two paths is 20·log10(|1−g|/(1+g))', () => {
    const paths = (gain: number) => [
      { gain: 1, delaySeconds: 0, coherent: true },
      { gain, delaySeconds: 0.012, coherent: true },
    ];
    for (const gain of [0.25, 0.5, 0.9]) {
      const valley = combMagnitude(paths(gain), 1 / 0.024);
      const peak = combMagnitude(paths(gain), 1 / 0.012);
      expect(20 * Math.log10(valley / peak)).toBeCloseTo(combDepthDb(gain), 6);
    }
    expect(combDepthDb(0.5)).toBeCloseTo(-9.542, 3);
    expect(combDepthDb(1)).toBe(-Infinity);
  });
});

describe('the figures of a stereo stretch', () => {
  const take = noise(seconds, rate, 1);
  const other = noise(seconds, rate, 2);

  test('equal sides are still mono and lose nothing', () => {
    const { report } = measureStereo(take, take, rate);
    expect(report.stillMono).toBe(true);
    expect(report.sideToMidDb).toBe(-120);
    expect(report.fold.lossDb).toBeCloseTo(0, 6);
    expect(report.fold.verdict).toBe('holds');
    for (const band of report.fold.bands)
      if (band.lossDb !== null) expect(band.lossDb).toBeCloseTo(0, 6);
  });

  test('unrelated sides lose 3.01 dB, and an ordinary double-tracked pair holds', () => {
    const { report } = measureStereo(take, other, rate);
    expect(report.fold.lossDb).toBeCloseTo(-3.01, 1);
    expect(report.fold.verdict).toBe('holds');
    expect(report.correlation).toBeCloseTo(0, 1);
    expect(report.leadMs).toBeNull();
    const high = report.fold.bands.find((band) => band.hz === 4000);
    expect(high?.lossDb).toBeCloseTo(-3.01, 0);
  });

  test('a copy 12 ms late is a copy at its lag, not still mono; L leads, and the fold is hollow', () => {
    const { report } = measureStereo(take, delayed(take, 576), rate);
    expect(report.stillMono).toBe(false);
    expect(report.likeness?.value).toBeGreaterThan(0.99);
    expect(report.likeness?.lagMs).toBeCloseTo(12, 3);
    expect(report.leadMs).toBeCloseTo(12, 3);
    expect(report.fold.deepestDipDb).toBeGreaterThan(6);
    expect(report.fold.verdict).toBe('breaks');
  });

  test('one side alone reads −3.01 and cancels nothing; it has no likeness and no lean', () => {
    const { report } = measureStereo(take, new Float32Array(take.length), rate);
    expect(report.fold.lossDb).toBeCloseTo(-3.01, 2);
    expect(report.likeness).toBeNull();
    expect(report.leanDb).toBeNull();
    expect(report.correlation).toBeNull();
  });

  test('opposite sides cancel, with the sign in the likeness', () => {
    const { report } = measureStereo(
      take,
      take.map((value) => -value),
      rate,
    );
    expect(report.likeness?.value).toBeCloseTo(-1, 6);
    expect(report.fold.verdict).toBe('breaks');
    expect(report.fold.lossDb).toBeLessThan(-60);
    expect(report.sideToMidDb).toBe(120);
  });

  test('silence has no figures, but a report', () => {
    const silent = new Float32Array(rate);
    const { report } = measureStereo(silent, silent, rate);
    expect(report.loudnessLufs).toBeNull();
    expect(report.fold.verdict).toBeNull();
    expect(report.stillMono).toBe(false);
    expect(JSON.stringify(report)).not.toMatch(/NaN|Infinity/);
  });

  test('lean is told apart from lead', () => {
    const { report } = measureStereo(
      take,
      take.map((value) => value / 2),
      rate,
    );
    expect(report.leanDb).toBeCloseTo(6.02, 2);
    expect(report.leadMs).toBeCloseTo(0, 3);
  });

  test('predicting a pure delay: the loss of a sine is that of the comb there', () => {
    const tone = sine(500, -12, seconds, rate);
    const { report } = measureStereo(tone, delayed(tone, 24), rate);
    // 0.5 ms at 500 Hz is a quarter turn: |1 + e^(−jπ/2)|/2 = −3.01 dB.
    expect(report.fold.bands.find((band) => band.hz === 500)?.lossDb).toBeCloseTo(-3.01, 1);
  });
});

test('the verdict has the edges of common practice', () => {
  expect(foldVerdict(3.5, 3)).toBe('holds');
  expect(foldVerdict(3.6, 0)).toBe('watch');
  expect(foldVerdict(6, 6)).toBe('watch');
  expect(foldVerdict(0, 6.1)).toBe('breaks');
});

test('the worst band is the one that loses most; of silence there is none', () => {
  const bands = [
    { hz: 100, lossDb: -1 },
    { hz: 125, lossDb: null },
    { hz: 160, lossDb: -7 },
    { hz: 200, lossDb: -3 },
  ];
  expect(worstBand(bands)).toEqual({ hz: 160, lossDb: -7 });
  expect(worstBand([{ hz: 100, lossDb: null }])).toBeNull();
});
