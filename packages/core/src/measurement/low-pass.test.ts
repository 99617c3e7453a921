import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { lowered } from './low-pass.ts';
import { sine } from './signals.fixture.ts';

const { abs, log10, sqrt } = Math;
const factors = [4, 8, 16, 32, 64, 128];

describe('the low end at a lower rate', () => {
  /** In dB, over the middle half. */
  const levelOf = (samples: Float32Array) => {
    const middle = samples.subarray(samples.length / 4, (3 * samples.length) / 4);
    return 20 * log10(sqrt(middle.reduce((sum, x) => sum + x * x, 0) / middle.length));
  };

  test('is as it was under a fifth of that rate, and nothing folds back there', () => {
    for (const factor of factors) {
      const rate = 1000 * factor;
      const toneAt = (hz: number) => levelOf(lowered(sine(hz, 0, 4, rate), factor));
      const whole = levelOf(sine(20, 0, 4, rate));
      for (const hz of [20, 60, 130, 199]) expect(abs(toneAt(hz) - whole)).toBeLessThan(0.11);
      // What lies so far from each multiple of the lower rate would be heard under a fifth of it.
      for (const hz of [801, 940, 1060, 1199, 1801, 2199])
        if (hz < rate / 2) expect(toneAt(hz) - whole).toBeLessThan(-70);
    }
  });

  test('holds all that sounds, wherever it does: an impulse adds up to itself', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...factors),
        fc.integer({ min: 1, max: 30_000 }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (factor, length, place) => {
          const impulse = new Float32Array(length);
          impulse[Math.round(place * (length - 1))] = 1;
          const sum = lowered(impulse, factor).reduce((all, value) => all + value, 0);
          expect(abs(factor * sum - 1)).toBeLessThan(1e-3);
        },
      ),
    );
  });
});
