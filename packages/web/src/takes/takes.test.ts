import { describe, expect, test } from '@jest/globals';
import { arrangedFrames } from '@pannet/core/takes/arrangement';
import type { Comparison } from '@pannet/core/takes/line-up/line-up';
import { newTakes, type Take } from '@pannet/core/takes/take';
import { nudged } from './nudge.ts';
import { typedShift } from './typed-shift.ts';
import { comparisonKey, figuresKey, referenceOf } from './takes-work.ts';
import { heardTiming, timingOf, truthOf } from './truth.ts';

const rate = 48_000;
const [first, second, third] = newTakes(
  [0, 1, 2].map((n) => ({ recording: String(n).padStart(64, '0'), channel: 0 })),
);
const ms = (value: number) => (value * rate) / 1000;
const comparison: Comparison = {
  offset: ms(20),
  polarity: 'inverted',
  alien: null,
  onsets: [10, 20, 30].map((late, n) => ({ at: rate * (n + 1), late: ms(late), sure: true })),
};
const aligned = (
  take: Take,
  shift: readonly number[],
  at = shift.map((_, n) => n * rate),
): Take => ({
  ...take,
  align: {
    to: first.id,
    tightnessPercent: 70,
    polarity: 'inverted',
    path: { at, shift, alike: shift.map(() => 1) },
    anchors: [],
  },
});

describe('a take is nudged', () => {
  test('whole: it becomes one clip, and comes back to where it was', () => {
    const later = { ...second, ...nudged(second, 1000, 48) };
    expect(later.clips).toEqual([
      { fromFrame: 0, toFrame: 1000, atFrame: 48, fadeInMs: 0, fadeOutMs: 0 },
    ]);
    expect(arrangedFrames(later, 1000, rate)).toBe(1048);
    expect(nudged(later, 1000, -48)?.clips?.[0]).toMatchObject({ fromFrame: 0, atFrame: 0 });
  });

  test('before the beginning what would lie there is cut off, and not all of it may be', () => {
    expect(nudged(second, 1000, -300)?.clips?.[0]).toMatchObject({ fromFrame: 300, atFrame: 0 });
    expect(nudged(second, 1000, -1000)).toBeNull();
  });

  test('lined up: its path goes with it, in order', () => {
    const moved = nudged(aligned(second, [100, 200]), 9e6, 480);
    expect(moved?.align?.path).toMatchObject({ at: [0, rate + 480], shift: [-380, -280] });
    const early = nudged(aligned(second, [0, 5, 9], [0, 10, 20]), 9e6, -100);
    expect(early?.align?.path?.at).toEqual([0, 1, 2]);
  });
});

describe('what is said of a take', () => {
  test('how late it is as it is heard, and how far that is spread', () => {
    expect(heardTiming(comparison, second, rate)?.lateMs).toBeCloseTo(20, 6);
    expect(heardTiming(comparison, second, rate)?.spreadMs).toBeCloseTo(Math.sqrt(200 / 3), 6);
    const there = aligned(second, [ms(10), ms(20), ms(30)], [0, 1.5 * rate, 2.5 * rate]);
    expect(heardTiming(comparison, there, rate)).toEqual({ lateMs: 0, spreadMs: 0 });
    expect(timingOf(comparison, second, null, rate)).toBe(
      '+20.0 ms ±8.2 · 3/3 sure · other polarity',
    );
    expect(timingOf(comparison, there, null, rate)).toBe('0.0 ms ±0.0 · 3/3 sure');
    expect(truthOf(null, comparison, there, rate)).toMatch(/Lined up so tightly \(±0\.0 ms\)/);
    expect(truthOf(null, comparison, second, rate)).toBeNull();
  });

  test('a copy is no double, and what is alien is a layer', () => {
    const figures = {
      portrait: { lufs: -20, bandsDb: [], loudness: [], everyS: 0.4 },
      crestDb: 12,
      noiseDb: null,
      likeness: { value: -0.97, lagMs: 14 },
    };
    expect(truthOf(figures, comparison, second, rate)).toMatch(
      /A copy of the reference \(likeness −0\.97 at \+14\.0 ms\), not a double/,
    );
    const alien = { ...comparison, alien: 'These takes have too little in common.' };
    expect(truthOf(figures, alien, second, rate)).toMatch(/As a layer of its own it is fine/);
    expect(timingOf(alien, second, null, rate)).toBe('unlike the reference');
    expect(truthOf(figures, null, second, rate)).toBeNull();
  });
});

test('the reference is what others are lined up with; what was found is of takes as they lie', () => {
  expect(referenceOf({ takes: [first, second] })).toBe(first);
  const other = { ...second, align: { ...aligned(second, [0]).align!, to: third.id } };
  expect(referenceOf({ takes: [first, other, third] })).toBe(third);
  expect(comparisonKey(aligned(second, [7]), first)).toBe(comparisonKey(second, first));
  expect(figuresKey(aligned(second, [7]), first)).not.toBe(figuresKey(second, first));
});

describe('a shift that is typed', () => {
  test.each([
    ['12.5', 600],
    ['12,5 ms', 600],
    ['-1 ms', -48],
    ['−48 samples', -48],
    ['7 smp', 7],
    ['0.5 s', 24_000],
    // A sixty-fourth at 96 beats a minute: a sixteenth of a beat, 39.06 ms.
    ['1/64', 1875],
    ['-1/32', -3750],
  ])('%s', (text, frames) => {
    expect(typedShift(text, 48_000, 96)).toEqual({ ok: true, frames });
  });

  test.each([
    ['soon', 'is typed as'],
    ['1/0', 'nought-th'],
    ['700 s', 'ten minutes at most'],
    ['', 'is typed as'],
  ])('“%s” is refused with a sentence', (text, words) => {
    const shift = typedShift(text, 48_000, 96);
    expect(shift.ok ? '' : shift.sentence).toContain(words);
  });

  test('a share of a note needs a tempo', () => {
    const shift = typedShift('1/64', 48_000, null);
    expect(shift.ok ? '' : shift.sentence).toContain('tempo');
  });
});
