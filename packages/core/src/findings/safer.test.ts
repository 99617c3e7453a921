import { expect, test } from '@jest/globals';
import type { Image } from '../image/image.ts';
import { findRecipe } from '../image/recipes.ts';
import { neutralStage } from '../image/stage.ts';
import { noise } from '../measurement/signals.fixture.ts';
import { measureStereo } from '../measurement/report.ts';
import { renderImage } from '../rendering/memory.fixture.ts';
import { newVoice } from '../voices/voice.ts';
import { findSafer, foldStrain, type Search } from './safer.ts';
import { allMayChange, type MayChange } from './variations.ts';

const rate = 16_000;
const take = noise(1, rate, 40, 0.1);
const none: MayChange = {
  delay: false,
  cents: false,
  polarity: false,
  placement: false,
  mirrored: false,
};

async function measure(image: Image) {
  const { left, right } = await renderImage(take, image, rate);
  return measureStereo(left, right, rate).report;
}

async function lastOf(search: AsyncGenerator<Search>): Promise<Search | null> {
  let last: Search | null = null;
  for await (const state of search) last = state;
  return last;
}

const combed: Image = {
  voices: [
    newVoice('v1', 'left', { placement: { kind: 'pan', panPercent: -100 } }),
    newVoice('v2', 'right', {
      placement: { kind: 'pan', panPercent: 100 },
      delay: { value: 9, unit: 'ms' },
    }),
  ],
  stage: neutralStage,
};

test('of a combed pair it finds one that folds better and is as wide; rendered again it measures the same', async () => {
  const seen: number[] = [];
  let last: Search | null = null;
  for await (const state of findSafer(combed, allMayChange, rate, 1, measure, 4)) {
    seen.push(state.share);
    last = state;
  }
  const { begun, best, tried } = last as unknown as Search;
  expect(begun.verdict).toBe('breaks');
  expect(best.verdict).toBe('holds');
  expect(foldStrain(best)).toBeLessThan(foldStrain(begun));
  expect(Math.abs(best.sideToMidDb - begun.sideToMidDb)).toBeLessThanOrEqual(1);
  const { fold, sideToMidDb } = await measure(best.image);
  expect(fold.dropLu).toBeCloseTo(best.dropLu, 9);
  expect(fold.deepestDipDb).toBeCloseTo(best.dipDb, 9);
  expect(sideToMidDb).toBeCloseTo(best.sideToMidDb, 9);
  // Told as it goes on, to the end.
  expect(seen[0]).toBe(0);
  expect(seen.at(-1)).toBe(1);
  expect([...seen].sort((a, b) => a - b)).toEqual(seen);
  expect(tried.length).toBeGreaterThan(60);
});

test('only what may be changed is changed, and the first voice and the stage stay', async () => {
  const image = findRecipe('tuned-doubles')?.image as Image;
  const only = (may: Partial<MayChange>) =>
    lastOf(findSafer(image, { ...none, ...may }, rate, 2, (tried) => measure(tried)));
  const delays = await only({ delay: true });
  expect(delays?.tried.length).toBeGreaterThan(20);
  for (const { image: tried } of delays?.tried ?? []) {
    expect(tried.stage).toEqual(image.stage);
    for (const [n, voice] of tried.voices.entries()) {
      const { delay, ...rest } = voice;
      expect({ ...rest, delay: image.voices[n].delay }).toEqual(image.voices[n]);
      if (n === 0) expect(delay).toEqual(image.voices[0].delay);
    }
  }
  // Nothing may be changed: nothing is tried, and what is there is best.
  const still = await only({});
  expect(still?.tried).toEqual([]);
  expect(still?.best.image).toEqual(image);
});

test('the same seed tries the same settings, and it stops when it is no longer asked', async () => {
  const first = async (count: number) => {
    const words: string[] = [];
    for await (const { tried } of findSafer(combed, allMayChange, rate, 5, measure)) {
      if (tried.length > 0) words.push(tried[tried.length - 1].words);
      if (tried.length >= count) break;
    }
    return words;
  };
  const [a, b] = [await first(4), await first(4)];
  expect(a).toHaveLength(4);
  expect(a).toEqual(b);
});
