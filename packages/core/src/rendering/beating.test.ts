import { expect, test } from '@jest/globals';
import type { SplicePlan } from '../voices/splices.ts';
import { beatingOf } from './beating.ts';
import { predictedLoss, predictedRange } from './fold-paths.ts';
import type { PartPlan, StrandPlan } from './plan.ts';

const rate = 48_000;
const source = { key: 'take', frames: 480_000 };

function strand(
  id: string,
  left: number,
  right: number,
  changes: Partial<StrandPlan> = {},
): StrandPlan {
  return {
    id,
    voiceId: id,
    source,
    takeKey: 'take',
    delayFrames: 0,
    tuning: null,
    awaits: null,
    drift: null,
    left,
    right,
    placed: null,
    ...changes,
  };
}

function tuned(cents: number): StrandPlan['tuning'] {
  const splices = { ratio: 2 ** (cents / 1200) } as SplicePlan;
  return { key: String(cents), splices };
}

function part(...strands: StrandPlan[]): PartPlan {
  const open = { ll: 1, lr: 0, rl: 0, rr: 1 };
  return {
    id: 'p',
    frames: 480_000,
    strands,
    stage: { open, closed: open, opening: null, sides: { left: 1, right: 1 } },
    plain: { strand: strand('plain', 0.7, 0.7), level: 1 },
    flanks: { voiceIds: [], trim: 1 },
    muted: false,
  };
}

test('a tuned copy beside its original in one ear beats at the difference of both', () => {
  const { left, right } = beatingOf(
    part(strand('a', 1, 0), strand('b', 0.5, 1, { tuning: tuned(8) })),
    rate,
    440,
  );
  expect(left.rateHz).toBeCloseTo(440 * (2 ** (8 / 1200) - 1), 6);
  // (1 + 0.5)/(1 − 0.5) is 9.54 dB.
  expect(left.rippleDb).toBeCloseTo(9.54, 2);
  // On the right there is one voice alone: nothing beats.
  expect(right).toEqual({ rateHz: 0, rippleDb: 0 });
});

test('equally loud ones cancel for a moment: the figure is held; two copies of one tuning do not beat', () => {
  const equal = part(strand('a', 1, 0), strand('b', 1, 0, { tuning: tuned(-5) }));
  expect(beatingOf(equal, rate, 440).left.rippleDb).toBe(40);
  const same = part(strand('a', 1, 0), strand('b', 0.5, 0, { delayFrames: 500 }));
  expect(beatingOf(same, rate, 440).left.rippleDb).toBe(0);
});

test('what stands still is one loss; a drift moves it within a range that grows with frequency', () => {
  const still = part(strand('a', 1, 0), strand('b', 0, 1, { delayFrames: 576 }));
  expect(predictedRange(still, rate)).toBeNull();
  const path = { gridFrames: 1000, points: new Float64Array(8), widestFrames: 24 };
  const drifting = part(strand('a', 1, 0), strand('b', 0, 1, { drift: { key: 'd', path } }));
  const range = predictedRange(drifting, rate);
  // 24 frames at 100 Hz are 18°: little is lost; at 1 kHz they are half a turn: anything may be.
  expect(range?.(100).lowestDb).toBeGreaterThan(-0.2);
  expect(range?.(1000).lowestDb).toBeLessThan(-15);
  expect(range?.(1000).highestDb).toBeGreaterThan(-0.5);
  const loss = predictedLoss(drifting, rate)(1000);
  expect(loss).toBeCloseTo(-3.01, 2);
});

test('two tuned doubles range from nothing lost to all, and lose 3 dB by their power', () => {
  const doubles = part(
    strand('a', 1, 0, { tuning: tuned(7) }),
    strand('b', 0, 1, { tuning: tuned(-7) }),
  );
  const { lowestDb = 0, highestDb = -60 } = predictedRange(doubles, rate)?.(700) ?? {};
  expect(lowestDb).toBeLessThan(-12);
  expect(highestDb).toBeGreaterThan(-0.6);
});
