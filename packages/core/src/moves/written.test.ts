import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { curveAt, curveDescription } from './curve.ts';
import type { Points } from './points.ts';
import { thinned, withCopy, withWritten, type Held } from './written.ts';

const points = (...list: readonly (readonly [number, number])[]) =>
  curveDescription.parse({
    kind: 'points',
    points: list.map(([atS, by]) => ({ atS, by })),
  }) as Points;
const at = (curve: Points, seconds: number) => curveAt(curve, seconds, null);

/** As somebody would turn it: up and down within some seconds, told sixty times a second. */
const anyHeld: fc.Arbitrary<Held[]> = fc
  .tuple(
    fc.double({ min: 0, max: 100, noNaN: true }),
    fc.array(fc.double({ min: -60, max: 12, noNaN: true }), { minLength: 2, maxLength: 300 }),
  )
  .map(([from, values]) => values.map((by, n) => ({ atS: from + n / 60, by })));

/** Of two curves, one of them later, at some times within a stretch. */
function expectLike(
  curve: Points,
  other: Points,
  [fromS, toS]: readonly [number, number],
  within: number,
  later = 0,
): void {
  for (let n = 0; n <= 40; n++) {
    const seconds = fromS + (n / 40) * (toS - fromS);
    if (seconds < 0 || seconds > toS) continue;
    // A step lies where it lies to some digits.
    const nearby = [-1e-9, 0, 1e-9].map((by) =>
      Math.abs(at(curve, seconds) - at(other, seconds + later + by)),
    );
    expect(Math.min(...nearby)).toBeLessThan(within);
  }
}

function expectWritten(curve: Points, held: readonly Held[], within: number): void {
  const written = withWritten(curve, held, 'levelDb');
  expect(curveDescription.safeParse(written).error?.message).toBeUndefined();
  const [from, to] = [held[0].atS, held[held.length - 1].atS];
  for (const { atS, by } of held.slice(0, -1))
    expect(Math.abs(at(written, atS) - by)).toBeLessThan(0.31);
  expectLike(written, curve, [0, from - 0.002], within);
  expectLike(written, curve, [to + 0.052, 200], within);
}

describe('what is held while it plays', () => {
  test('is a few points, whose lines miss none of it by more than is heard', () => {
    fc.assert(
      fc.property(anyHeld, (held) => {
        const line = thinned(held, 0.3);
        const curve = points(...line.map(({ atS, by }) => [atS, by] as const));
        for (const { atS, by } of held) expect(Math.abs(at(curve, atS) - by)).toBeLessThan(0.3001);
      }),
      { numRuns: 60 },
    );
    const ramp = Array.from({ length: 600 }, (_, n) => ({ atS: n / 60, by: -n / 50 }));
    expect(thinned(ramp, 0.3)).toHaveLength(2);
  });

  test('stands where it was held; before and after the curve is as it was, and one that a song may have', () => {
    const curve = points([0, 0], [10, -12], [20, 0], [60, -3]);
    const straight = (held: readonly Held[]) => expectWritten(curve, held, 1e-6);
    fc.assert(fc.property(anyHeld, straight), { numRuns: 60 });
    // What it goes back to lies as near to a point as points lie apart.
    straight([
      { atS: 9.932333333333332, by: 0 },
      { atS: 9.949, by: 0 },
    ]);
  });

  test('before and after it goes on as it did, smoothly or in steps', () => {
    const anyPoints = fc
      .uniqueArray(
        fc.record({
          atS: fc.integer({ min: 0, max: 1000 }).map((tenths) => tenths / 10),
          by: fc.double({ min: -60, max: 12, noNaN: true }),
          shape: fc.constantFrom('straight' as const, 'smooth' as const, 'step' as const),
        }),
        { minLength: 1, maxLength: 30, selector: ({ atS }) => atS },
      )
      .map((list): Points => ({
        kind: 'points',
        points: list.toSorted((one, other) => one.atS - other.atS),
      }));
    fc.assert(
      fc.property(anyPoints, anyHeld, (curve, held) => expectWritten(curve, held, 0.1)),
      { numRuns: 200 },
    );
    fc.assert(
      fc.property(
        anyPoints,
        fc.double({ min: 0, max: 100, noNaN: true }),
        fc.double({ min: 0.02, max: 30, noNaN: true }),
        fc.double({ min: 0, max: 100, noNaN: true }),
        (curve, fromS, long, atS) => {
          const copied = withCopy(curve, { fromS, toS: fromS + long }, atS, 'levelDb');
          expect(curveDescription.safeParse(copied).error?.message).toBeUndefined();
          expectLike(copied, curve, [-60, atS - 0.006], 0.1);
          expectLike(copied, curve, [atS + long + 0.006, 200], 0.1);
          expectLike(copied, curve, [atS + 0.002, atS + long - 0.002], 0.1, fromS - atS);
        },
      ),
      { numRuns: 200 },
    );
  });

  test('for ten minutes without rest, it is as many points as a curve may have', () => {
    // Up a little and down a little more each time: nothing lies on a line.
    const held = Array.from({ length: 36_000 }, (_, n) => ({
      atS: n / 60,
      by: -20 + (n % 2 ? 6 : -6) - (n % 7),
    }));
    const written = withWritten(points([0, 0], [700, 0]), held, 'levelDb');
    expect(curveDescription.safeParse(written).success).toBe(true);
    const stairs = held.map(({ atS }, n) => ({ atS, by: -Math.sqrt(n) / 10 }));
    expect(thinned(stairs, 0.3).length).toBeLessThan(100);
  });

  test('of what has not moved yet, it is all', () => {
    const held = [0, 1, 2].map((n) => ({ atS: 5 + n, by: 0 - 3 * n }));
    expect(withWritten(null, held, 'levelDb').points.map(({ by }) => by)).toEqual([0, -6]);
  });
});

test('a stretch is copied along the song, and the rest stays', () => {
  const curve = points([0, 0], [2, 0], [3, -12], [4, 0], [30, -6]);
  const copied = withCopy(curve, { fromS: 1.5, toS: 4.5 }, 10, 'levelDb');
  expect(curveDescription.safeParse(copied).success).toBe(true);
  for (const seconds of [0.1, 0.5, 1.3, 1.5, 2, 2.9])
    expect(at(copied, 10 + seconds)).toBeCloseTo(at(curve, 1.5 + seconds), 6);
  for (const seconds of [0, 3, 4, 9.9, 13.2, 20, 40])
    expect(at(copied, seconds)).toBeCloseTo(at(curve, seconds), 6);
  // Over itself, too.
  expect(
    curveDescription.safeParse(withCopy(curve, { fromS: 1.5, toS: 4.5 }, 2.5, 'levelDb')).success,
  ).toBe(true);
});
