import { expect, test } from '@jest/globals';
import { panGains, panLaws } from './pan-law.ts';

const level = (gain: number) => 20 * Math.log10(gain);

/** The centre levels that the laws are named after: common practice. */
test.each([
  ['-3', -3.01],
  ['-4.5', -4.515],
  ['-6', -6.02],
  ['0', 0],
] as const)('law %s: centre %f dB, hard sides 0 dB and nothing across', (law, centre) => {
  expect(level(panGains(0, law).left)).toBeCloseTo(centre, 2);
  expect(panGains(0, law).left).toBe(panGains(0, law).right);
  expect(panGains(-100, law)).toEqual({ left: 1, right: 0 });
  expect(panGains(100, law)).toEqual({ left: 0, right: 1 });
});

test('−3 keeps the power, −6 the sum, and all are symmetric and fall steadily', () => {
  for (const law of panLaws) {
    let before = Infinity;
    for (let pan = -100; pan <= 100; pan += 5) {
      const { left, right } = panGains(pan, law);
      const mirrored = panGains(-pan, law);
      expect(left).toBeCloseTo(mirrored.right, 12);
      expect(left).toBeLessThanOrEqual(before);
      before = left;
      if (law === '-3') expect(left * left + right * right).toBeCloseTo(1, 12);
      if (law === '-6') expect(left + right).toBeCloseTo(1, 12);
    }
  }
});
