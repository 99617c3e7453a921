import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { labelHeight, placeLabels, type Wish } from './placement-labels.ts';

const bottom = 460;

describe('labels of the placement drawing', () => {
  test('stand where they want to while there is room', () => {
    const places = placeLabels(
      [
        { id: 'a', column: 'left', y: 100 },
        { id: 'b', column: 'right', y: 100 },
        { id: 'c', column: 'left', y: 150 },
      ],
      [],
      bottom,
    );
    expect([...places]).toEqual([
      ['a', 100],
      ['c', 150],
      ['b', 100],
    ]);
  });

  test('four on one place stand under one another, and clear of a dimension figure', () => {
    const wishes = ['a', 'b', 'c', 'd'].map((id): Wish => ({ id, column: 'left', y: 200 }));
    const places = [
      ...placeLabels(wishes, [{ column: 'left', from: 205, to: 221 }], bottom).values(),
    ].sort((a, b) => a - b);
    for (let n = 1; n < places.length; n++)
      expect(places[n] - places[n - 1]).toBeGreaterThanOrEqual(labelHeight);
    for (const y of places) expect(y + 16 <= 205 || y - 14 >= 221).toBe(true);
  });

  test('never lie on one another as long as they fit at all', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 20, max: bottom, noNaN: true }), { maxLength: 7 }),
        (ys) => {
          const wishes = ys.map((y, n): Wish => ({ id: String(n), column: 'right', y }));
          const places = [...placeLabels(wishes, [], bottom).values()].sort((a, b) => a - b);
          for (let n = 0; n < places.length; n++) {
            expect(places[n]).toBeLessThanOrEqual(bottom - 16);
            if (n > 0) expect(places[n] - places[n - 1]).toBeGreaterThanOrEqual(labelHeight - 1e-9);
          }
        },
      ),
    );
  });
});
