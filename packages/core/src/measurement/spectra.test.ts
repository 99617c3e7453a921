import { describe, expect, test } from '@jest/globals';
import { visitPairBlocks, type PairBlock } from '../signal/pair-blocks.ts';
import { hannWindow, RealFft } from '../signal/spectrum.ts';
import { LikenessMeter } from './likeness.ts';
import { thirdOctaveBands } from './bands.ts';
import { measureStereo } from './report.ts';
import { sidesInTime } from './sides-in-time.ts';
import { noise } from './signals.fixture.ts';
import { StereoSpectraMeter, stereoSpectra, transformSizeFor } from './spectra.ts';

const { abs, ceil, cos, exp, floor, max, min, PI, round, sin, sqrt } = Math;
const rate = 48_000;

function later(samples: Float32Array, by: number): Float32Array {
  return Float32Array.from(samples, (_, n) => samples[n - by] ?? 0);
}

function likenessOf(left: Float32Array, right: Float32Array, rateHz: number, size: number) {
  const meter = new LikenessMeter(rateHz, size);
  visitPairBlocks(left, right, size, meter.kept, (blocks, n) => meter.add(blocks, n));
  return (
    meter.alike(sidesInTime(left, right, rateHz).sums, stereoSpectra(left, right, rateHz), null)
      ?.likeness ?? null
  );
}

describe('pair blocks', () => {
  test('hold what a transform of each signal alone says of it', () => {
    const [a, b] = [noise(0.02, rate, 1, 0.3), noise(0.02, rate, 2, 0.3)];
    const size = 256;
    const fft = new RealFft(size);
    const spectrum = fft.createSpectrum();
    let seen = 0;
    visitPairBlocks(a, b, size, 1, ([block, before], n) => {
      for (const [samples, now, then] of [
        [a, block.first.values, before.first.values],
        [b, block.second.values, before.second.values],
      ] as const) {
        for (const [at, values] of [
          [n, now],
          [n - 1, then],
        ] as const) {
          const from = at * 128;
          const filled = Float32Array.from({ length: size }, (_, k) =>
            at >= 0 && k < 128 ? (samples[from + k] ?? 0) : 0,
          );
          fft.forward(filled, spectrum);
          for (let k = 0; k < size + 2; k++)
            expect(abs(values[k] - spectrum[k])).toBeLessThan(1e-9);
        }
      }
      seen++;
    });
    // The last one is silent.
    expect(seen).toBe(ceil(a.length / 128) + 1);
  });

  test('can be stopped between two of them', () => {
    const shares: number[] = [];
    const stop = (share: number) => {
      shares.push(share);
      if (share >= 0.5) throw new Error('stopped');
    };
    const silence = new Float32Array(1024);
    const walk = () => visitPairBlocks(silence, silence, 256, 0, () => {}, stop);
    expect(walk).toThrow('stopped');
    expect(shares).toEqual([1, 2, 3, 4, 5].map((n) => n / 9));
  });
});

describe('spectra', () => {
  /** Welch 1967 to the letter: Hann windows that overlap by half, each transformed by itself. */
  test.each([100, 4096, 5000, 20_000])('of %i frames are those of Hann windows', (length) => {
    const size = 4096;
    const left = noise(1, rate, 3, 0.3).subarray(0, length);
    const right = noise(1, rate, 4, 0.3).subarray(0, length);
    const expected = Array.from({ length: 3 }, () => new Float64Array(size / 2 + 1));
    const fft = new RealFft(size);
    const window = hannWindow(size);
    const spectra = [fft.createSpectrum(), fft.createSpectrum()];
    // From half a window before the first frame to half a one behind the last, so that both ends count in full.
    for (let from = -size / 2; from < length; from += size / 2) {
      for (const [n, side] of [left, right].entries())
        fft.forward(
          Float64Array.from({ length: size }, (_, k) => (side[from + k] ?? 0) * window[k]),
          spectra[n],
        );
      const [l, r] = spectra;
      for (let bin = 0; bin <= size / 2; bin++) {
        const at = 2 * bin;
        expected[0][bin] += l[at] ** 2 + l[at + 1] ** 2;
        expected[1][bin] += r[at] ** 2 + r[at + 1] ** 2;
        expected[2][bin] += l[at] * r[at] + l[at + 1] * r[at + 1];
      }
    }
    const meter = new StereoSpectraMeter(rate, size);
    visitPairBlocks(left, right, size, 1, ([block, before]) => void meter.add(before, block));
    const found = meter.spectra();
    const error = [found.left, found.right, found.cross].map((values, n) => {
      const scale = max(...expected[0]);
      return max(...values.map((value, bin) => abs(value - expected[n][bin]) / scale));
    });
    expect(max(...error)).toBeLessThan(1e-12);
  });
});

/** Powers of a band by one transform of the whole signal: the test's own judge. */
function wholeFile(samples: Float32Array, rateHz: number) {
  const size = 2 ** ceil(Math.log2(samples.length));
  const fft = new RealFft(size);
  const spectrum = fft.createSpectrum();
  fft.forward(samples, spectrum);
  return (lowHz: number, highHz: number) => {
    let sum = 0;
    for (let k = ceil((lowHz * size) / rateHz); k < (highHz * size) / rateHz; k++)
      sum += spectrum[2 * k] ** 2 + spectrum[2 * k + 1] ** 2;
    return sum;
  };
}

describe('bands are what a transform of the whole file says, at any rate', () => {
  const rates = [44_100, 48_000, 96_000, 192_000];

  test.each(rates)('%i Hz: windows of a third of a second', (rateHz) => {
    expect(transformSizeFor(rateHz) / rateHz).toBeGreaterThan(0.32);
    expect(transformSizeFor(rateHz) / rateHz).toBeLessThan(0.38);
  });

  /** A bell that begins at the first frame, with a late copy that cuts a dip into its partials. */
  const partials = [41, 87, 152, 263, 401, 634, 911, 1520, 2707];
  const bell = (rateHz: number, late: number) => {
    const samples = new Float32Array(4 * rateHz);
    const first = ceil(late * rateHz);
    for (const hz of partials) {
      // Turned on from frame to frame by a complex factor.
      const fall = exp(-1.5 / rateHz);
      const [c, d] = [fall * cos((2 * PI * hz) / rateHz), fall * sin((2 * PI * hz) / rateHz)];
      const start = first / rateHz - late;
      let re = exp(-1.5 * start) * cos(2 * PI * hz * start);
      let im = exp(-1.5 * start) * sin(2 * PI * hz * start);
      for (let n = first; n < samples.length; n++) {
        samples[n] += 0.08 * im;
        [re, im] = [re * c - im * d, re * d + im * c];
      }
    }
    return samples;
  };

  test.each(rates)('%i Hz: a bell from frame 0 on, every third octave within 0.3 dB', (rateHz) => {
    const [left, right] = [bell(rateHz, 0), bell(rateHz, 0.009)];
    const fold = left.map((value, n) => (value + right[n]) / 2);
    const { fold: figures } = measureStereo(left, right, rateHz).report;
    const [ofLeft, ofRight, ofFold] = [left, right, fold].map((side) => wholeFile(side, rateHz));
    let looked = 0;
    for (const band of thirdOctaveBands(rateHz)) {
      const sides = (ofLeft(band.lowHz, band.highHz) + ofRight(band.lowHz, band.highHz)) / 2;
      const found = figures.bands.find(({ hz }) => hz === band.hz)?.lossDb ?? null;
      const partial = partials.some((hz) => hz > band.lowHz * 1.03 && hz < band.highHz / 1.03);
      if (found === null || !partial) continue;
      const exact = 10 * Math.log10(ofFold(band.lowHz, band.highHz) / sides);
      // What is cancelled to a hundredth is nobody's figure to a tenth of a dB.
      expect(abs(found - exact)).toBeLessThan(exact < -12 ? 1.5 : 0.3);
      looked++;
    }
    expect(looked).toBeGreaterThan(6);
  });

  test.each(rates)('%i Hz: dips in noise that is shaped alike, within 0.5 dB', (rateHz) => {
    const source = noise(6, rateHz, 21, 0.3);
    const late = later(source, round(0.0031 * rateHz)).map((value) => 0.6 * value);
    const fold = source.map((value, n) => (value + late[n]) / 2);
    const { report } = measureStereo(source, late, rateHz);
    const hz = report.fold.deepestDipHz ?? 0;
    const [ofLeft, ofRight, ofFold] = [source, late, fold].map((side) => wholeFile(side, rateHz));
    const kept = (lowHz: number, highHz: number) =>
      ofFold(lowHz, highHz) / ((ofLeft(lowHz, highHz) + ofRight(lowHz, highHz)) / 2);
    const edge = 10 ** (0.3 / 12);
    const exact =
      10 * Math.log10(kept(hz / edge, hz * edge) / kept(40 / 1.06, min(17_000, rateHz / 2)));
    expect(abs((report.fold.deepestDipDb ?? 0) + exact)).toBeLessThan(0.5);
  });
});

describe('likeness', () => {
  /** At whole lags, straight from its definition. */
  test.each([rate, 8000, 192_000])(
    'is the largest cross-correlation there is, at %i Hz',
    (rateHz) => {
      const left = noise(0.25, 6000, 5, 0.3);
      const right = noise(0.25, 6000, 6, 0.3);
      const largest = round(0.32 * rateHz);
      let best = 0;
      for (let lag = -largest; lag <= largest; lag++) {
        let sum = 0;
        for (let n = max(0, -lag); n < left.length && n + lag < right.length; n++)
          sum += left[n] * right[n + lag];
        if (abs(sum) > abs(best)) best = sum;
      }
      const { left: l, right: r } = sidesInTime(left, right, 48_000).sums;
      expect(likenessOf(left, right, rateHz, 2048)?.value).toBeCloseTo(best / sqrt(l * r), 9);
    },
  );

  test.each([0, 1, -1, 700, -700, 8191, 8192, -8193, 9600, -9600])(
    'finds a copy %i frames later',
    (by) => {
      const source = noise(1, rate, 7, 0.3);
      const [left, right] = by < 0 ? [later(source, -by), source] : [source, later(source, by)];
      for (const size of [1024, 16_384]) {
        const found = likenessOf(left, right, rate, size);
        expect(found?.value).toBeGreaterThan(0.85);
        expect(abs((found?.lagMs ?? 0) - (by * 1000) / rate)).toBeLessThan(0.011);
      }
    },
  );

  test('of a turned copy is negative; beyond 320 ms it is not looked for; silence has none', () => {
    const source = noise(1, rate, 8, 0.3);
    const turned = source.map((value) => -value);
    const alike = likenessOf(source, turned, rate, 4096);
    expect(alike?.value).toBeCloseTo(-1, 9);
    expect(alike?.lagMs).toBeCloseTo(0, 9);
    expect(abs(likenessOf(source, later(source, 16_000), rate, 4096)?.value ?? 1)).toBeLessThan(
      0.1,
    );
    expect(likenessOf(source, new Float32Array(rate), rate, 4096)).toBeNull();
  });

  test('keeps as many blocks as its lags reach over', () => {
    expect(new LikenessMeter(rate, 16_384).reach).toBe(2);
    expect(new LikenessMeter(192_000, 16_384).reach).toBe(8);
    const blocks: number[] = [];
    const silence = new Float32Array(floor(0.3 * rate));
    const kept = (seen: readonly PairBlock[]) => void blocks.push(seen.length);
    visitPairBlocks(silence, silence, 16_384, 2, kept);
    expect(blocks).toEqual([3, 3, 3]);
  });
});
