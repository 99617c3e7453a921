import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { matchLevels } from '@pannet/core/comparing/matching';
import { measurePart } from '@pannet/core/findings/measure-part';
import { imageLevel } from '@pannet/core/findings/part-figures';
import { wavFile } from '@pannet/core/formats/wav-write';
import { findRecipe } from '@pannet/core/image/recipes';
import { measureStereo } from '@pannet/core/measurement/report';
import { renderStretch } from '@pannet/core/rendering/offline';
import { joined, noise, outsideDb, sine } from '../../core/src/measurement/signals.fixture.ts';
import { memoryPlan, memorySong, renderImage } from '../../core/src/rendering/memory.fixture.ts';
import { ffmpegLoudness } from './ffmpeg.fixture.ts';

const { abs, max, log10 } = Math;
const rate = 48_000;
let folder: string;

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'pannet-fair-'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

function written(name: string, sides: readonly Float32Array[]): string {
  const path = join(folder, name);
  writeFileSync(path, wavFile([...sides], rate, '32f'));
  return path;
}

/** Lows with a little on top; hits with nothing between; under a second of sound. */
const materials: readonly (readonly [string, Float32Array])[] = [
  [
    'bass-heavy',
    sine(55, -8, 6, rate).map(
      (value, n) => value + 0.02 * Math.sin(n / 3) + 0.1 * Math.sin(n / 90),
    ),
  ],
  [
    'sparse',
    joined(
      ...Array.from({ length: 5 }, (_, n) =>
        joined(
          noise(0.15, rate, n + 1, 0.5).map((value, at) => value * Math.exp(-at / 2000)),
          new Float32Array(1.3 * rate),
        ),
      ),
    ),
  ],
  ['short', joined(noise(0.6, rate, 9, 0.2), new Float32Array(0.2 * rate))],
];

describe.each(materials)('equal loudness, %s', (name, take) => {
  test.each(['tuned-doubles', 'mirrored'])(
    'plain and %s are within 0.2 LU by ffmpeg, and raised no higher than −1 dBTP',
    async (id) => {
      const image = findRecipe(id)?.image;
      if (!image) throw new Error(`No recipe ${id}.`);
      // Hot, so that matching has to hold back.
      const peak = take.reduce((most, value) => max(most, abs(value)), 0);
      const memory = memorySong([take.map((value) => (value * 0.7) / peak)], rate, image);
      const plan = await memoryPlan(memory);
      const figures = await measurePart(plan, 'p0', memory.load, 0, take.length);
      const levels = { plain: figures.plain, image: imageLevel(figures) };
      const { gainsDb } = matchLevels(levels, levels.image, 'heard');
      const heard = async (what: 'plain' | 'image') => {
        const sides = await renderStretch(plan, 'p0', memory.load, 0, take.length, what);
        const gain = 10 ** (gainsDb[what] / 20);
        const path = written(
          `${name}-${id}-${what}.wav`,
          [sides.left, sides.right].map((side) => side.map((value) => value * gain)),
        );
        return ffmpegLoudness(path);
      };
      const [plain, wide] = [await heard('plain'), await heard('image')];
      expect(abs(plain.lufs - wide.lufs)).toBeLessThanOrEqual(0.2);
      for (const [what, { peakDbtp }] of [
        ['plain', plain],
        ['image', wide],
      ] as const)
        if (gainsDb[what] > 0) expect(peakDbtp).toBeLessThanOrEqual(-1 + 0.1);
    },
  );
});

describe('the fold of a written file, computed again by others', () => {
  // The same in every window of a transform, so that two that weigh it differently still agree.
  const period = noise(8192 / rate, rate, 60, 0.2);
  const take = joined(...Array.from({ length: 24 }, () => period));

  test.each(['one-side-late', 'tuned-doubles', 'mirrored'])('%s', async (id) => {
    const image = findRecipe(id)?.image;
    if (!image) throw new Error(`No recipe ${id}.`);
    const { left, right } = await renderImage(take, image);
    const { report } = measureStereo(left, right, rate);
    const path = written(`${id}.wav`, [left, right]);
    // ffmpeg folds and measures.
    const stereo = ffmpegLoudness(path);
    const fold = ffmpegLoudness(path, 'pan=stereo|c0=0.5*c0+0.5*c1|c1=0.5*c0+0.5*c1,');
    // It prints to two places, its gate may choose another block.
    expect(abs(fold.lufs - stereo.lufs - (report.fold.lossDb ?? 0))).toBeLessThan(0.1);
    expect(abs(stereo.rangeLu - report.loudnessRangeLu)).toBeLessThan(0.5);
    // A transform of the test's own, over the whole at once, band by band.
    const folded = left.map((value, n) => (value + right[n]) / 2);
    const power = (samples: Float32Array, lowHz: number, highHz: number) => {
      const total = samples.reduce((sum, value) => sum + value * value, 0);
      return total * (1 - 10 ** (outsideDb(samples, rate, lowHz, highHz) / 10));
    };
    // Further down, a line more or less at the edge of a band counts.
    for (const hz of [4000, 8000, 12_500]) {
      const [low, high] = [hz * 10 ** -0.05, hz * 10 ** 0.05];
      const sides = (power(left, low, high) + power(right, low, high)) / 2;
      const loss = 10 * log10(power(folded, low, high) / sides);
      const band = report.fold.bands.find((each) => each.hz === hz);
      // What is tuned does not repeat.
      expect(abs(loss - (band?.lossDb ?? 99))).toBeLessThan(id === 'tuned-doubles' ? 0.3 : 0.1);
    }
  });
});
