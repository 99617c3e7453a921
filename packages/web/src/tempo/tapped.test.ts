import { expect, test } from '@jest/globals';
import { bpmOf, tapped } from './tapped.ts';

const taps = (times: readonly number[]) =>
  times.reduce<readonly number[]>((before, time) => tapped(before, time), []);

test('a tempo is tapped: one that comes late or early once does not bend it', () => {
  expect(bpmOf(taps([0]))).toBeNull();
  expect(bpmOf(taps([0, 600]))).toBe(100);
  expect(bpmOf(taps([0, 600, 1180, 1800, 2400, 3060, 3600]))).toBe(100);
});

test('after a pause it is tapped anew, and long ago does not count', () => {
  expect(taps([0, 500, 1000, 9000])).toEqual([9000]);
  const slower = Array.from({ length: 40 }, (_, n) => (n < 10 ? 300 * n : 2700 + 500 * (n - 9)));
  expect(bpmOf(taps(slower))).toBe(120);
});
