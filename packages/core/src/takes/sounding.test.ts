import { describe, expect, test } from '@jest/globals';
import { joined, noise, sine } from '../measurement/signals.fixture.ts';
import { inMemory } from './line-up/performed.fixture.ts';
import { envelopeOf, noiseDb, soundingClips, usualCut } from './sounding.ts';

const rate = 48_000;
const hiss = (seconds: number, seed: number) => noise(seconds, rate, seed, 10 ** (-70 / 20));
const phrases = joined(
  hiss(1, 1),
  sine(300, -12, 2, rate),
  hiss(3, 2),
  sine(400, -20, 1, rate),
  hiss(0.1, 3),
  sine(500, -20, 1, rate),
  hiss(2, 4),
);
const cut = async (samples: Float32Array, changes = {}) => {
  const envelope = await envelopeOf(inMemory(samples).read, samples.length, rate);
  return soundingClips(envelope, samples.length, rate, { ...usualCut, ...changes });
};

describe('cutting silence', () => {
  test('leaves each phrase where it lies, from its fade in to its hold', async () => {
    const clips = await cut(phrases);
    const seconds = clips?.map(({ fromFrame, toFrame }) => [fromFrame / rate, toFrame / rate]);
    expect(clips?.every(({ fromFrame, atFrame }) => fromFrame === atFrame)).toBe(true);
    expect(seconds).toHaveLength(2);
    expect(seconds?.[0][0]).toBeCloseTo(1 - 0.015, 2);
    expect(seconds?.[0][1]).toBeCloseTo(3 + 0.25, 1);
    // A rest that is shorter than the hold is part of the phrase.
    expect(seconds?.[1][0]).toBeCloseTo(6 - 0.015, 2);
    expect(seconds?.[1][1]).toBeCloseTo(8.1 + 0.25, 1);
  });

  test('with a shorter hold finds the rest as well; over everything it finds nothing to keep', async () => {
    expect(await cut(phrases, { holdMs: 20 })).toHaveLength(3);
    expect(await cut(phrases, { thresholdDb: 0 })).toBeNull();
    expect(await cut(phrases, { thresholdDb: -100 })).toBeNull();
    expect(await cut(new Float32Array(rate))).toBeNull();
  });
});

test('what was cut and put elsewhere by hand stays where it was put', async () => {
  const envelope = await envelopeOf(inMemory(phrases).read, phrases.length, rate);
  const whole = { fromFrame: 0, toFrame: phrases.length, atFrame: 4800, fadeInMs: 1, fadeOutMs: 2 };
  const moved = soundingClips(envelope, phrases.length, rate, usualCut, [whole]);
  expect(moved).toHaveLength(2);
  for (const { fromFrame, atFrame } of moved ?? []) expect(atFrame - fromFrame).toBe(4800);
  // Its own edges keep their fades; within it there are new ones.
  const inside = { ...whole, fromFrame: 1.5 * rate, toFrame: 2 * rate, atFrame: 9 };
  expect(soundingClips(envelope, phrases.length, rate, usualCut, [inside])).toEqual([inside]);
  const silent = [{ ...whole, fromFrame: 4 * rate, toFrame: 5 * rate }];
  expect(soundingClips(envelope, phrases.length, rate, usualCut, silent)).toBe(silent);
});

test('the noise under a take is told as a level', async () => {
  const envelope = await envelopeOf(inMemory(phrases).read, phrases.length, rate);
  expect(noiseDb(envelope)).toBeGreaterThan(-75);
  expect(noiseDb(envelope)).toBeLessThan(-66);
  const silence = await envelopeOf(inMemory(new Float32Array(rate)).read, rate, rate);
  expect(noiseDb(silence)).toBeNull();
});
