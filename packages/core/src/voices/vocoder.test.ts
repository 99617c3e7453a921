import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { openRoom, transforms } from '../signal/transforms.ts';

/** As it is said, with nothing clever in it: a peak, and the bin after its last one. */
function plainPeaks(power: readonly number[]): number[][] {
  const last = power.length - 1;
  const peaks = power.flatMap((here, bin) =>
    bin >= 2 &&
    bin <= last - 2 &&
    here > Math.max(power[bin - 1], power[bin - 2]) &&
    here >= Math.max(power[bin + 1], power[bin + 2])
      ? [bin]
      : [],
  );
  if (peaks.length === 0) peaks.push(last);
  return peaks.map((peak, n) => {
    if (n === peaks.length - 1) return [peak, last + 1];
    const between = power.slice(peak + 1, peaks[n + 1]);
    return [peak, peak + 1 + between.indexOf(Math.min(...between)) + 1];
  });
}

test('each bin belongs to the peak on its side of the lowest one, in any spectrum', () => {
  // Few different values: many are alike.
  const value = fc.oneof(fc.integer({ min: 0, max: 3 }), fc.constantFrom(0.5, 1e-30, 1e30));
  const any = fc
    .integer({ min: 1, max: 6 })
    .chain((bits) => fc.array(value, { minLength: 2 ** bits + 1, maxLength: 2 ** bits + 1 }));
  fc.assert(
    fc.property(any, (sizes) => {
      const last = sizes.length - 1;
      const [spectrum, power, peaks] = [2 * last + 2, last + 2, last + 2].map(openRoom);
      for (const [bin, size] of sizes.entries()) spectrum.values[2 * bin + (bin % 2)] = size;
      const count = transforms.findPeaks(spectrum.at, power.at, last, peaks.at);
      const found = Array.from({ length: count }, (_, n) => [
        ...peaks.wholes.subarray(2 * n, 2 * n + 2),
      ]);
      expect([...power.values.subarray(0, last + 1)]).toEqual(sizes.map((size) => size * size));
      expect(found).toEqual(plainPeaks(sizes.map((size) => size * size)));
      for (const room of [spectrum, power, peaks]) room.close();
    }),
    { numRuns: 300 },
  );
});
