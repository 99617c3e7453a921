import { afterEach, beforeEach, expect, jest, test } from '@jest/globals';
import { isVocoded } from '@pannet/core/derived/made-source';
import { neutralImage } from '@pannet/core/image/image';
import { compile } from '@pannet/core/rendering/compile';
import { planSources, type PlanGraph } from '@pannet/core/rendering/plan';
import { newVoice } from '@pannet/core/voices/voice';
import { twoParts } from '../testing/song.fixture.ts';
import { VocodedFirst } from './vocoded-first.ts';

/** Two parts tuned as pads, each by so many cents. */
function planOf(hum: number, harp: number, widthPercent = 100): PlanGraph {
  const song = twoParts();
  const parts = { ...song.parts };
  for (const [id, cents] of [
    ['hum', hum],
    ['harp', harp],
  ] as const) {
    const tuner = { cents, kind: 'pads' } as const;
    const image = neutralImage();
    parts[id] = {
      ...parts[id],
      image: {
        ...image,
        voices: [newVoice('v1', 'one', { tuner })],
        stage: { ...image.stage, widthPercent },
      },
    };
  }
  return compile({ ...song, parts }, new Map());
}

const anewIn = (plan: PlanGraph) =>
  planSources(plan).flatMap((source) =>
    isVocoded(source) && source.step.anewAt !== undefined ? [source.key] : [],
  );

const frame = 96_000;
let stood: number;
let first: VocodedFirst;

beforeEach(() => {
  jest.useFakeTimers();
  stood = 0;
  first = new VocodedFirst(() => stood++);
});

afterEach(() => {
  first.close();
  jest.useRealTimers();
});

test('where nothing plays all is heard as it is exported', () => {
  const plan = planOf(10, 5);
  expect(first.of(plan, null)).toBe(plan);
  expect(first.of(planOf(11, 5), null)).toEqual(planOf(11, 5));
  jest.advanceTimersByTime(1000);
  expect(stood).toBe(0);
});

test('while it plays a new tuning begins anew, alone, and stands a moment later', () => {
  first.of(planOf(10, 5), null);
  const plan = planOf(11, 5);
  expect(anewIn(first.of(plan, frame))).toHaveLength(1);
  jest.advanceTimersByTime(249);
  expect(stood).toBe(0);
  expect(first.begins).toBe(true);
  expect(first.began).toBe(true);
  // The same once more: nothing that would have to be told at once.
  first.of(plan, frame);
  expect(first.began).toBe(false);
  jest.advanceTimersByTime(1);
  expect(stood).toBe(1);
  expect(first.begins).toBe(false);
  expect(first.of(plan, frame)).toBe(plan);
  jest.advanceTimersByTime(1000);
  expect(stood).toBe(1);
});

test('while it is dragged each step begins anew; what was dragged over is forgotten', () => {
  first.of(planOf(10, 5), null);
  const heard: string[] = [];
  for (let cents = 11; cents < 20; cents++) {
    const anew = anewIn(first.of(planOf(cents, 5), frame));
    expect(anew).toHaveLength(1);
    heard.push(...anew);
    jest.advanceTimersByTime(100);
  }
  expect(new Set(heard).size).toBe(heard.length);
  expect(stood).toBe(0);
  jest.advanceTimersByTime(150);
  expect(stood).toBe(1);
});

test('what else is changed meanwhile lets it go on where it began, and does not put it off', () => {
  first.of(planOf(10, 5), null);
  const before = anewIn(first.of(planOf(11, 5), frame));
  jest.advanceTimersByTime(150);
  expect(anewIn(first.of(planOf(11, 5, 80), frame + 50_000))).toEqual(before);
  jest.advanceTimersByTime(100);
  expect(stood).toBe(1);
  const [both, other] = [planOf(12, 6), planOf(12, 7)];
  expect(anewIn(first.of(both, frame))).toHaveLength(2);
  expect(anewIn(first.of(other, frame))).toHaveLength(2);
});

test('once it is closed nothing is told any more', () => {
  first.of(planOf(10, 5), null);
  first.of(planOf(11, 5), frame);
  first.close();
  jest.advanceTimersByTime(1000);
  expect(stood).toBe(0);
});
