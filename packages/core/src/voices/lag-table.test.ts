import { describe, expect, test } from '@jest/globals';
import { noise, sine } from '../measurement/signals.fixture.ts';
import { lagsKept, LagTable } from './lag-table.ts';

const { abs, max, sin, PI } = Math;

const shape = { windowMs: 16, hopMs: 10, shortestMs: 0.6, longestMs: 26 };

const readerOf = (samples: Float32Array) => (start: number, count: number) =>
  Promise.resolve(Float32Array.from({ length: count }, (_, n) => samples[start + n] ?? 0));

describe('a table of lags', () => {
  // So slow that every sample is looked at: what it says can be added up here.
  const rate = 24_000;
  const window = 0.016 * rate;
  const hop = 0.01 * rate;
  const samples = noise(1, rate, 21).map((value, n) => value + sin((2 * PI * 220 * n) / rate));
  const meanSquare = (of: (n: number) => number) => {
    let sum = 0;
    for (let n = 0; n < window; n++) sum += of(n) ** 2;
    return sum / window;
  };

  test.each([1, -1] as const)(
    'direction %i: energies, and half the energy of what a jump changes',
    async (direction) => {
      const table = new LagTable({ rateHz: rate, direction, ...shape });
      await table.ensure(readerOf(samples), 0, rate);
      expect(table.hopFrames).toBe(hop);
      let compared = 0;
      for (const row of [10, 33, 63, 64, 80]) {
        const chunk = table.chunkAt(row);
        const within = LagTable.within(row);
        const place = row * hop;
        expect(chunk.energies[within]).toBeCloseTo(
          meanSquare((n) => samples[place + n]),
          5,
        );
        let dearest = 0;
        for (let k = within * lagsKept; k < (within + 1) * lagsKept; k++) {
          const lag = chunk.lags[k];
          // Below 0 nothing is repeated, and it costs what it costs for want of any other.
          if (lag <= 0) continue;
          const other = place - direction * lag;
          const direct = meanSquare((n) => samples[place + n] - samples[other + n]) / 2;
          expect(abs(chunk.costs[k] - direct)).toBeLessThan(1e-5 * chunk.energies[within]);
          expect(chunk.costs[k]).toBeGreaterThanOrEqual(dearest);
          dearest = chunk.costs[k];
          compared++;
        }
      }
      expect(compared).toBeGreaterThan(20);
    },
  );

  test('what goes on changes by nothing; what begins, by all of its energy, wherever that is', async () => {
    // A hop holds whole periods, so that each place sounds like the one before it.
    const tone = sine(1000, -6, 2, rate);
    const begins = 0.7 * rate;
    const late = tone.map((value, n) => (n < begins ? 0 : value));
    for (const direction of [1, -1] as const) {
      const changes = async (of: Float32Array) => {
        const table = new LagTable({ rateHz: rate, direction, ...shape });
        await table.ensure(readerOf(of), 0, 2 * rate);
        return Array.from({ length: 120 }, (_, n) => {
          const row = n + 20;
          return table.chunkAt(row).changes[LagTable.within(row)];
        });
      };
      const energy = meanSquare((n) => tone[n]);
      expect(max(...(await changes(tone)))).toBeLessThan(1e-6 * energy);
      const coming = await changes(late);
      // Magnitudes grow while it comes in: added up, their steps are of its amplitude.
      const steps = coming.reduce((sum, change) => sum + change ** 0.5, 0);
      expect(steps / energy ** 0.5).toBeGreaterThan(0.9);
      expect(steps / energy ** 0.5).toBeLessThan(1.5);
      for (const [n, change] of coming.entries()) {
        const away = abs((n + 20) * hop - begins);
        if (away > 0.06 * rate) expect(change).toBeLessThan(1e-6 * energy);
      }
    }
  });

  test('a place is told the same wherever the table began', async () => {
    const one = new LagTable({ rateHz: 48_000, direction: 1, ...shape });
    const other = new LagTable({ rateHz: 48_000, direction: 1, ...shape });
    const read = readerOf(noise(3, 48_000, 22));
    await one.ensure(read, 0, 2 * 48_000);
    await other.ensure(read, 1.5 * 48_000, 2 * 48_000);
    for (const row of [150, 191, 192, 200]) expect(other.chunkAt(row)).toEqual(one.chunkAt(row));
  });
});
