import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { levelFor, levelsOf, soundingOf } from './levels.ts';
import { outlineFrames } from './outline.ts';

test('every coarser outline has the least and the largest of what it stands for', () => {
  fc.assert(
    fc.property(
      fc.array(fc.float({ min: 0, max: 1, noNaN: true }), { maxLength: 600 }),
      (peaks) => {
        const ends = Float32Array.from(peaks.flatMap((peak) => [-peak / 2, peak]));
        for (const { frames, ends: coarse } of levelsOf(ends)) {
          const each = frames / outlineFrames;
          for (let n = 0; n < coarse.length / 2; n++) {
            const own = peaks.slice(n * each, (n + 1) * each).map(Math.fround);
            expect(coarse[2 * n + 1]).toBe(Math.max(...own));
            expect(coarse[2 * n]).toBeCloseTo(-Math.max(...own) / 2, 6);
          }
        }
      },
    ),
    { numRuns: 50 },
  );
});

test('the coarsest that has a pair for each pixel is drawn', () => {
  const ends = new Float32Array(2 * 5000);
  expect(levelFor(ends, 10).frames).toBe(outlineFrames);
  expect(levelFor(ends, 8 * outlineFrames).frames).toBe(8 * outlineFrames);
  expect(levelFor(ends, 63 * outlineFrames).frames).toBe(8 * outlineFrames);
  expect(levelFor(ends, 1e9).ends.length).toBeLessThanOrEqual(16);
});

test('it sounds where it is louder than −60 dB; short pauses do not part it', () => {
  const pairs = 8000;
  const ends = new Float32Array(2 * pairs);
  const loud = (from: number, to: number, peak: number) => {
    for (let n = from; n < to; n++) ends.set([-peak, peak], 2 * n);
  };
  loud(800, 1600, 0.5);
  loud(1640, 1700, 0.01);
  loud(4000, 4008, 0.002);
  loud(6000, 7000, 0.0005);
  expect(soundingOf(ends)).toEqual([
    { from: 800 * outlineFrames, to: 1704 * outlineFrames },
    { from: 4000 * outlineFrames, to: 4008 * outlineFrames },
  ]);
});
