import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { arrangedSource } from '../derived/take-source.ts';
import { makingLoader } from '../derived/making.ts';
import { noise, sine } from '../measurement/signals.fixture.ts';
import { blockFrames, blockLength, type BlockLoader, type PcmSource } from '../sources/blocks.ts';
import { arrangedFrames, joinFrames } from './arrangement.ts';
import type { Align, Clip } from './take.ts';

const rate = 48_000;
const { abs, max } = Math;

/** All of a source, made block by block. */
async function whole(source: PcmSource, samples: Float32Array): Promise<Float32Array> {
  const raw: BlockLoader = (_, index) =>
    Promise.resolve(samples.subarray(index * blockFrames, (index + 1) * blockFrames));
  const load = makingLoader(raw);
  const all = new Float32Array(source.frames);
  for (let index = 0; index * blockLength(source) < source.frames; index++)
    all.set(await load(source, index), index * blockLength(source));
  return all;
}

/** Jest's own comparison takes seconds for as many. */
function expectSame(one: Float32Array, other: Float32Array): void {
  expect(one).toHaveLength(other.length);
  const apart = one.findIndex((value, n) => value !== other[n]);
  expect(apart).toBe(-1);
}

async function arranged(
  samples: Float32Array,
  take: { readonly clips?: readonly Clip[] | null; readonly align?: Align | null },
): Promise<Float32Array> {
  const kept = { clips: take.clips ?? null, align: take.align ?? null };
  const source = arrangedSource({ key: 'raw:0', frames: samples.length }, kept, rate);
  expect(source.frames).toBe(arrangedFrames(kept, samples.length, rate));
  return whole(source, samples);
}

const clip = (fromFrame: number, toFrame: number, atFrame: number, fadeMs = 0): Clip => ({
  fromFrame,
  toFrame,
  atFrame,
  fadeInMs: fadeMs,
  fadeOutMs: fadeMs,
});

const alignedBy = (
  at: readonly number[],
  shift: readonly number[],
  changes: Partial<Align> = {},
): Align => ({
  to: 't1',
  tightnessPercent: 100,
  polarity: 'normal',
  path: { at, shift, alike: at.map(() => 1) },
  anchors: [],
  ...changes,
});

describe('clips', () => {
  const samples = noise(2, rate, 3);

  test('lie where they were put, silence between them, and the recording is untouched', async () => {
    const made = await arranged(samples, {
      clips: [clip(1000, 41_000, 500), clip(60_000, 70_000, 90_000)],
    });
    expect(made).toHaveLength(100_000);
    expect(made.subarray(0, 500).every((value) => value === 0)).toBe(true);
    expectSame(made.subarray(500, 40_500), samples.subarray(1000, 41_000));
    expect(made.subarray(40_500, 90_000).every((value) => value === 0)).toBe(true);
    expectSame(made.subarray(90_000), samples.subarray(60_000, 70_000));
  });

  test('that overlap go over into each other: of one tone cut in two nothing is heard', async () => {
    const tone = sine(220, -6, 2, rate);
    const made = await arranged(tone, {
      clips: [clip(0, 40_000, 0), clip(39_000, 96_000, 39_000)],
    });
    let apart = 0;
    for (let n = 0; n < tone.length; n++) apart = max(apart, abs(made[n] - tone[n]));
    expect(apart).toBeLessThan(1e-6);
  });

  test('fade in and out as long as they are told, from nothing to nothing', async () => {
    const flat = new Float32Array(20_000).fill(0.5);
    const made = await arranged(flat, { clips: [clip(0, 20_000, 0, 10)] });
    expect(made[0]).toBeLessThan(1e-3);
    expect(made[240]).toBeCloseTo(0.25, 2);
    expect(made[480]).toBeCloseTo(0.5, 5);
    expect(made[19_999]).toBeLessThan(1e-3);
    for (let n = 1; n < 480; n++) expect(made[n]).toBeGreaterThanOrEqual(made[n - 1]);
  });

  test('of what a shorter recording no longer has are silent', async () => {
    expect(await arranged(samples, { clips: [clip(200_000, 300_000, 0)] })).toHaveLength(0);
  });
});

describe('a path of shifts', () => {
  const samples = noise(2, rate, 4);

  test('reads from each place on so much later, one going over into the next', async () => {
    const made = await arranged(samples, { align: alignedBy([0, 30_000], [0, 700]) });
    const join = joinFrames(rate);
    expect(made).toHaveLength(samples.length - 700);
    expectSame(made.subarray(0, 30_000), samples.subarray(0, 30_000));
    expectSame(made.subarray(30_000 + join), samples.subarray(30_700 + join));
  });

  test('earlier than its beginning there is nothing, inverted it is inverted', async () => {
    const made = await arranged(samples, {
      align: alignedBy([0], [-4800], { polarity: 'inverted' }),
    });
    expect(made).toHaveLength(samples.length + 4800);
    expect(made.subarray(0, 4800).every((value) => value === 0)).toBe(true);
    expect(made[4800]).toBe(-samples[0]);
    expect(made[made.length - 1]).toBe(-samples[samples.length - 1]);
  });

  test('unlike readings are as loud together as alone', async () => {
    const at = Array.from({ length: 200 }, (_, n) => 400 * n);
    const shift = at.map((_, n) => (n % 2) * 7000);
    const path = { at, shift, alike: at.map(() => 0) };
    const made = await arranged(samples, { align: { ...alignedBy([0], [0]), path } });
    const power = (values: Float32Array) =>
      values.reduce((sum, value) => sum + value * value, 0) / values.length;
    const spread = 10 * Math.log10(power(made.subarray(0, 80_000)) / power(samples));
    expect(abs(spread)).toBeLessThan(0.15);
  });
});

test('any clips and shifts are finite, and the same whichever block is asked for first', async () => {
  const samples = noise(1.5, rate, 9);
  const raw: BlockLoader = (_, index) =>
    Promise.resolve(samples.subarray(index * blockFrames, (index + 1) * blockFrames));
  const anyClip = fc
    .tuple(
      fc.nat(70_000),
      fc.integer({ min: 1, max: 80_000 }),
      fc.nat(200_000),
      fc.integer({ min: 0, max: 10_000 }),
    )
    .map(([from, count, at, fade]) => clip(from, from + count, at, fade));
  const anyShifts = fc.uniqueArray(
    fc.tuple(fc.nat(90_000), fc.integer({ min: -90_000, max: 90_000 })),
    { minLength: 1, maxLength: 20, selector: ([at]) => at },
  );
  await fc.assert(
    fc.asyncProperty(fc.array(anyClip, { maxLength: 12 }), anyShifts, async (clips, shifts) => {
      const sorted = shifts.sort(([a], [b]) => a - b);
      const align = alignedBy(
        sorted.map(([at]) => at),
        sorted.map(([, shift]) => shift),
      );
      const source = arrangedSource(
        { key: 'raw:0', frames: samples.length },
        { clips, align },
        rate,
      );
      const forth = await whole(source, samples);
      expect(forth.every(Number.isFinite)).toBe(true);
      const load = makingLoader(raw);
      for (let index = Math.ceil(source.frames / blockFrames) - 1; index >= 0; index--)
        expectSame(
          await load(source, index),
          forth.subarray(index * blockFrames, (index + 1) * blockFrames),
        );
    }),
    { numRuns: 40 },
  );
});
