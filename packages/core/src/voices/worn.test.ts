import { describe, expect, test } from '@jest/globals';
import { noise } from '../measurement/signals.fixture.ts';
import { isWorn, notWorn, wear, wornReach, type Worn } from './worn.ts';

const rate = 48_000;

function worn(sound: Float32Array, changes: Partial<Worn>, start = 0, seed = 1): Float32Array {
  const settings = { ...notWorn, ...changes };
  const reach = wornReach(settings, rate);
  const input = new Float32Array(reach + sound.length);
  input.set(sound, reach);
  return wear(input, reach, start, sound.length, settings, rate, seed);
}

const power = (samples: ArrayLike<number>) =>
  Array.from(samples).reduce((sum, value) => sum + value * value, 0) / samples.length;

describe('a worn voice', () => {
  const sound = noise(1, rate, 3, 0.5);

  test('that has lost nothing is the same to the bit', () => {
    expect(isWorn(notWorn)).toBe(false);
    expect(worn(sound, {})).toEqual(sound);
    expect(worn(sound, { heldHz: rate })).toEqual(sound);
  });

  test.each([4, 8, 12])('of %d bits errs by a step over the root of twelve', (bits) => {
    // Quantisation noise of a step q has the power q²/12 (Bennett 1948).
    const out = worn(sound, { bits });
    const error = out.map((value, n) => value - sound[n]);
    const step = 2 / 2 ** bits;
    expect(10 * Math.log10(power(error) / (step ** 2 / 12))).toBeCloseTo(0, 0);
    expect(out.every((value) => Number.isInteger(value / step))).toBe(true);
  });

  test.each([1000, 12_000, 17_321])('held at %d Hz takes so many values a second', (heldHz) => {
    const out = worn(sound, { heldHz });
    let taken = 1;
    for (let n = 1; n < out.length; n++) if (out[n] !== out[n - 1]) taken++;
    expect(taken).toBeGreaterThan(heldHz - 2);
    expect(taken).toBeLessThan(heldHz + 2);
  });

  test('has a grain as far under the sound as is said, silent where it is', () => {
    const out = worn(sound, { grainDb: -20 });
    const grain = out.map((value, n) => value - sound[n]);
    // Even over ±1, its power is a third.
    expect(10 * Math.log10(power(grain) / power(sound))).toBeCloseTo(-20 - 10 * Math.log10(3), 1);
    expect(worn(new Float32Array(1000), { grainDb: 0, bits: 2, heldHz: 1000 })).toEqual(
      new Float32Array(1000),
    );
    expect(worn(sound, { grainDb: -20 }, 0, 2)).not.toEqual(out);
  });

  test('is the same in any stretches', () => {
    const settings = { ...notWorn, heldHz: 7001, grainDb: -12, bits: 6 };
    const reach = wornReach(settings, rate);
    const whole = worn(sound, settings);
    for (const [from, count] of [
      [1, 100],
      [777, 4096],
      [33_333, 1],
    ]) {
      const input = new Float32Array(reach + count);
      for (let n = 0; n < input.length; n++) input[n] = sound[from - reach + n] ?? 0;
      const part = wear(input, reach, from, count, settings, rate, 1);
      expect(part).toEqual(whole.subarray(from, from + count));
    }
  });
});
