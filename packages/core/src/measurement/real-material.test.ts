import { describe, expect, test } from '@jest/globals';
import { findingsOf } from '../findings/findings.ts';
import { levelRatio } from './dynamics.ts';
import { measureStereo } from './report.ts';
import { riseLag } from './rises.ts';
import { sidesInTime } from './sides-in-time.ts';
import { delayed, joined, noise, sine } from './signals.fixture.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { abs, exp, PI, round, sin, sqrt, tanh } = Math;
const rate = 16_000;

/** Plucked strings that are a little stiff, one chord after another: few tones, each of them repeating itself. */
function chords(seconds: number, roots: readonly number[] = [98, 110, 82.4, 123.5]): Float32Array {
  const samples = new Float32Array(seconds * rate);
  for (let chord = 0; chord < seconds; chord++)
    for (const ratio of [1, 1.5, 2, 2.52])
      for (let k = 1; k <= 8; k++) {
        const hz = roots[chord % roots.length] * ratio * k * sqrt(1 + 6e-5 * k * k);
        if (hz > 0.45 * rate) continue;
        for (let n = 0; n < rate; n++)
          samples[chord * rate + n] +=
            ((0.03 / k) * sin((2 * PI * hz * n) / rate) * exp((-2.5 * n) / rate) * n) / (n + 40);
      }
  return samples;
}

/** A plucked string on which a finger slides up, a third in each second. */
function slides(seconds: number, cents: number): Float32Array {
  const samples = new Float32Array(seconds * rate);
  let phase = 0;
  for (let n = 0; n < samples.length; n++) {
    const t = (n % rate) / rate;
    phase += (2 * PI * 300 * 2 ** ((400 * t + cents) / 1200)) / rate;
    const level = (0.2 * exp(-2 * t) * (n % rate)) / ((n % rate) + 20);
    for (let k = 1; k <= 12; k++) samples[n] += (level / k) * sin(k * phase);
  }
  return samples;
}

const mixed = (a: Float32Array, b: Float32Array, gain: number) =>
  a.map((value, n) => value + gain * b[n]);
const codes = (left: Float32Array, right: Float32Array) =>
  findingsOf(measureStereo(left, right, rate).report).map(({ code }) => code);

test.each([8000, 11_025, 44_100, 192_000])(
  'at %i Hz moments of both sides hold what their samples do, up to the last one',
  (rateHz) => {
    const [left, right] = [noise(0.3337, rateHz, 1), noise(0.3337, rateHz, 2)];
    const { sums, momentMs, ...sides } = sidesInTime(left, right, rateHz);
    const frames = round((momentMs * rateHz) / 1000);
    expect(abs(momentMs - 1)).toBeLessThan(0.1);
    for (const [side, samples] of [
      ['left', left],
      ['right', right],
    ] as const) {
      const plain = Array.from({ length: Math.ceil(samples.length / frames) }, (_, n) =>
        samples.slice(n * frames, (n + 1) * frames).reduce((sum, value) => sum + value * value, 0),
      );
      const off = plain.map((energy, n) => abs(energy - sides[side][n]));
      expect(sides[side]).toHaveLength(plain.length);
      expect(Math.max(...off)).toBeLessThan(1e-9);
      expect(sums[side]).toBeCloseTo(
        plain.reduce((sum, energy) => sum + energy, 0),
        8,
      );
    }
    const cross = left.reduce((sum, value, n) => sum + value * right[n], 0);
    expect(sums.cross).toBeCloseTo(cross, 8);
  },
);

describe('lead, of chords', () => {
  const take = chords(8);

  test.each([16, 9, 1.5, 35])('%f ms early on the left is told as that', (ms) => {
    const late = delayed(take, round((ms * rate) / 1000));
    expect(measureStereo(take, late, rate).report.leadMs).toBeCloseTo(ms, 1);
    expect(measureStereo(late, take, rate).report.leadMs).toBeCloseTo(-ms, 1);
  });

  test('what is turned round as well leads nowhere that is sure', () => {
    const late = delayed(take, 224).map((value) => -value);
    expect(measureStereo(take, late, rate).report.leadMs ?? 0).toBe(0);
  });

  test.each([1, 0.9, 0.5])(
    'middle and a mirrored voice at %f of its level lead nowhere',
    (gain) => {
      const late = delayed(take, 224);
      const { leadMs } = measureStereo(
        mixed(take, late, gain),
        mixed(take, late, -gain),
        rate,
      ).report;
      expect(abs(leadMs ?? 0)).toBeLessThan(0.1);
    },
  );

  test('tuned apart, a line that slides leads where it rises, not where the other one had its pitch', () => {
    const ms = 7;
    for (const cents of [4, 9, 14]) {
      const left = slides(8, cents);
      const right = delayed(slides(8, -cents), round((ms * rate) / 1000));
      const { leadMs } = measureStereo(left, right, rate).report;
      expect(abs((leadMs ?? ms) - ms)).toBeLessThan(1);
      expect(abs((riseLag(sidesInTime(left, right, rate)) ?? 0) - ms)).toBeLessThan(0.5);
      const turned = measureStereo(right, left, rate).report;
      expect(abs((turned.leadMs ?? -ms) + ms)).toBeLessThan(1);
    }
  });

  test('where levels rise together and what sounds is another thing, no lead is said', () => {
    const bursts = (seed: number) =>
      noise(6, rate, seed).map((value, n) => value * exp(-((n % 8000) / 600)));
    const [left, right] = [bursts(3), delayed(bursts(5), 160)];
    expect(riseLag(sidesInTime(left, right, rate))).toBeCloseTo(10, 0);
    expect(measureStereo(left, right, rate).report.leadMs).toBeNull();
  });

  test.each([
    ['silence', () => 0],
    ['a steady low tone', (n: number) => 0.3 * sin((2 * PI * 82 * n) / rate)],
    ['a steady tone', (n: number) => 0.3 * sin((2 * PI * 220 * n) / rate)],
    ['a steady high tone', (n: number) => 0.3 * sin((2 * PI * 1234 * n) / rate)],
    ['what swells', (n: number) => 0.3 * sin((2 * PI * 220 * n) / rate) * (1 - exp(-n / 30_000))],
  ])('%s has no moment at which it rises', (_, at) => {
    const take = Float32Array.from({ length: 4 * rate }, (_, n) => at(n));
    expect(riseLag(sidesInTime(take, delayed(take, 100), rate))).toBeNull();
  });

  test('two performances lead nowhere, and none is a copy', () => {
    const { report } = measureStereo(take, chords(8, [123.5, 98, 110, 82.4]), rate);
    expect(report.leadMs).toBeNull();
    expect(report.bandsAlike).toBeLessThan(0.4);
  });
});

describe('a copy is found', () => {
  const take = chords(8);
  test.each<[string, Float32Array]>([
    ['a sample late', delayed(take, 1)],
    ['inverted and two samples late', delayed(take, 2).map((value) => -value)],
    ['300 ms late', delayed(take, 0.3 * rate)],
    ['half as loud and 14 ms late', delayed(take, 224).map((value) => value / 2)],
  ])('%s', (_, copy) => {
    expect(codes(take, copy)).toContain('only-a-copy');
  });

  test('not where a low end that is held in the middle decides', () => {
    const low = sine(70, -6, 8, rate);
    const [left, right] = [noise(8, rate, 1, 0.02), noise(8, rate, 2, 0.02)];
    const { report } = measureStereo(mixed(left, low, 1), mixed(right, low, 1), rate);
    expect(report.likeness?.value).toBeGreaterThan(0.9);
    expect(codes(mixed(left, low, 1), mixed(right, low, 1))).not.toContain('only-a-copy');
  });
});

describe('the verdict knows how sure it is', () => {
  test('short doubles hold, and so do long ones; the longer they are, the less doubt is left', () => {
    const doubts = [0.2, 0.5, 2, 8, 30].map((seconds) => {
      let sum = 0;
      for (const seed of [1, 3, 5, 7, 9, 11]) {
        const [left, right] = [noise(seconds, rate, seed), noise(seconds, rate, seed + 1)];
        const { fold } = measureStereo(left, right, rate).report;
        expect(fold.verdict).toBe('holds');
        expect(fold.sureDipDb).toBeLessThanOrEqual(fold.deepestDipDb ?? 0);
        sum += fold.dipDoubtDb;
      }
      return sum;
    });
    for (let n = 1; n < doubts.length; n++) expect(doubts[n - 1]).toBeGreaterThan(doubts[n]);
  });

  test('a comb that stands still is sure at once', () => {
    const take = noise(2, rate, 7);
    const { fold } = measureStereo(take, delayed(take, 40), rate).report;
    expect(fold.verdict).toBe('breaks');
    expect(fold.sureDipDb).toBeGreaterThan(6);
  });

  test('three of six seconds that cancel count, though they fall under the gate of the fold', () => {
    const take = noise(6, rate, 8);
    const turned = take.map((value, n) => (n < 3 * rate ? value : -value));
    const { report } = measureStereo(take, turned, rate);
    expect(report.fold.lossDb).toBeGreaterThan(-0.5);
    expect(report.fold.verdict).toBe('breaks');
    expect(codes(take, turned)).toContain('cancels-in-places');
  });
});

test.each([0.05, 0.1, 0.25, 0.39, 0.41])('a sound of %f s has all figures', (seconds) => {
  const left = noise(seconds, rate, 11);
  const right = noise(seconds, rate, 12);
  const { report } = measureStereo(left, right, rate);
  // As loud as a long one of the same.
  const long = measureStereo(noise(4, rate, 11), noise(4, rate, 12), rate).report;
  expect(abs((report.loudnessLufs ?? 0) - (long.loudnessLufs ?? 0))).toBeLessThan(1);
  expect(report.fold.lossDb).toBeLessThan(0);
  expect(report.fold.bands.some(({ lossDb }) => lossDb !== null)).toBe(true);
  expect(report.dynamics.left?.crestDb).toBeGreaterThan(3);
  expect(report.fold.verdict).not.toBeNull();
});

describe('squash', () => {
  const swelling = (seed: number) =>
    joined(
      ...Array.from({ length: 12 }, (_, n) =>
        noise(0.5, rate, seed + n, 0.8).map((value, at) => value * 10 ** (-at / 9000)),
      ),
    );
  const [left, right] = [swelling(20), swelling(60)];

  test('is found where one side is driven, on that side', () => {
    const driven = right.map((value) => tanh(6 * value) / 3);
    expect(codes(left, driven)).toContain('squash-differs');
    const [finding] = findingsOf(measureStereo(driven, left, rate).report).filter(
      ({ code }) => code === 'squash-differs',
    );
    expect(finding.sentence).toMatch(/^L is squashed more/);
  });

  test('not where the level alone moves, however far', () => {
    const ridden = right.map((value, n) => value * 10 ** (0.6 * sin((2 * PI * n) / (3 * rate))));
    expect(codes(left, ridden)).not.toContain('squash-differs');
    expect(codes(left, right)).not.toContain('squash-differs');
  });

  test('the ratio of levels is that of a compressor, 1 for sides that move each for itself', () => {
    const powers = Array.from({ length: 40 }, (_, n) => 10 ** (-(n % 10) / 4));
    expect(levelRatio(powers, powers)).toBeCloseTo(1, 9);
    expect(
      levelRatio(
        powers,
        powers.map((power) => sqrt(power)),
      ),
    ).toBeCloseTo(0.5, 6);
    expect(levelRatio(powers, powers.toReversed())).toBe(1);
    expect(levelRatio([1], [1])).toBe(1);
  });
});

describe('what nobody plays', () => {
  test('DC is told, and everything else measured without it', () => {
    const [left, right] = [noise(4, rate, 31, 0.1), noise(4, rate, 32, 0.1)];
    const clean = measureStereo(left, right, rate).report;
    const shifted = [left, right].map((side) => side.map((value) => value + 0.05));
    const { report } = measureStereo(shifted[0], shifted[1], rate);
    expect(report.dcDb.left).toBeCloseTo(-26, 0);
    expect(clean.dcDb).toEqual({ left: null, right: null });
    expect(report.correlation).toBeCloseTo(clean.correlation ?? 0, 2);
    expect(report.sideToMidDb).toBeCloseTo(clean.sideToMidDb ?? 0, 1);
    expect(report.loudnessLufs).toBeCloseTo(clean.loudnessLufs ?? 0, 1);
    // But not the peak, which it takes the headroom from.
    expect(report.samplePeakDbfs).toBeGreaterThan((clean.samplePeakDbfs ?? 0) + 1);
  });

  test('a side that drops out is told with its place; gaps of both are none', () => {
    const [left, right] = [noise(4, rate, 33), noise(4, rate, 34)];
    const gap = (side: Float32Array) =>
      side.map((value, n) => (n >= 2 * rate && n < 2.5 * rate ? value / 1000 : value));
    const { dropOuts } = measureStereo(left, gap(right), rate).report;
    expect(dropOuts).toEqual([
      { side: 'right', fromSeconds: expect.closeTo(2, 9), toSeconds: expect.closeTo(2.5, 9) },
    ]);
    expect(measureStereo(gap(left), gap(right), rate).report.dropOuts).toEqual([]);
    // One that is soft all along is soft, and drops out of nothing.
    const soft = right.map((value) => value / 2000);
    expect(measureStereo(left, soft, rate).report.dropOuts).toEqual([]);
    // What is constant, or swings about something else, and is taken out of all of it: where it stops, that is left.
    const leaning = (side: Float32Array) => side.map((value) => value + 0.01);
    for (const gone of [gap(leaning(right)), leaning(gap(right))])
      expect(measureStereo(leaning(left), gone, rate).report.dropOuts).toEqual(dropOuts);
  });
});
