import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { emptySong, type Song } from '../song/song.ts';
import { keptMoves, moveOf, partTarget, withMove, type MoveTarget } from '../song/moves-of.ts';
import { curveDescription, type Curve } from './curve.ts';
import { movedPoint, withoutPoint, withPoint, type Points } from './points.ts';

const curve = (...at: readonly (readonly [atS: number, by: number])[]) =>
  curveDescription.parse({
    kind: 'points',
    points: at.map(([atS, by]) => ({ atS, by })),
  }) as Points;
const placed = (points: Points | null) => points?.points.map(({ atS, by }) => [atS, by]) ?? null;

test('points are added in their order, moved between their neighbours, and the last one stays', () => {
  const two = curve([1, 0], [3, -6]);
  expect(placed(withPoint(two, { atS: 2, by: -3, shape: 'step' }))).toEqual([
    [1, 0],
    [2, -3],
    [3, -6],
  ]);
  expect(withPoint(two, { atS: 3.0005, by: 0, shape: 'step' })).toBeNull();
  expect(placed(movedPoint(two, 0, { atS: 9, by: 99 }))).toEqual([
    [2.999, 24],
    [3, -6],
  ]);
  expect(placed(movedPoint(two, 0, { atS: -1 }))).toEqual([
    [0, 0],
    [3, -6],
  ]);
  expect(placed(withoutPoint(two, 0))).toEqual([[3, -6]]);
  expect(withoutPoint(curve([1, 0]), 0)).toBeNull();
});

test('whatever is done to a curve, it is one that a song may have', () => {
  const steps = fc.array(
    fc.tuple(
      fc.constantFrom('add', 'move', 'drop'),
      fc.nat(20),
      fc.double({ min: -2, max: 90, noNaN: true }),
      fc.double({ min: -300, max: 300, noNaN: true }),
    ),
    { maxLength: 40 },
  );
  fc.assert(
    fc.property(steps, (all) => {
      let now = curve([0, 0]);
      for (const [what, n, atS, by] of all) {
        const at = n % now.points.length;
        if (what === 'add') now = withPoint(now, { atS, by, shape: 'smooth' }) ?? now;
        else if (what === 'move') now = movedPoint(now, at, { atS, by });
        else now = withoutPoint(now, at) ?? now;
        expect(curveDescription.safeParse(now).success).toBe(true);
      }
    }),
    { numRuns: 100 },
  );
});

test('a setting has one move: it is replaced, or taken away, and others stay', () => {
  const target = partTarget('a', 'levelDb');
  const other: MoveTarget = { ...target, kind: 'group' };
  let song: Song = emptySong('s', 'Moves');
  const set = (at: MoveTarget, to: Curve | null, id: string) => {
    song = { ...song, moves: withMove(song, at, to, id) };
  };
  set(target, curve([0, -1]), 'm1');
  set(other, curve([0, -2]), 'm2');
  set(target, curve([0, -3]), 'm3');
  expect(song.moves.map(({ id }) => id)).toEqual(['m1', 'm2']);
  expect(moveOf(song, target)?.curve).toEqual(curve([0, -3]));
  set(target, null, '');
  expect(moveOf(song, target)).toBeNull();
  expect(moveOf(song, other)?.id).toBe('m2');
});

test('an edit of one move leaves the others the same things', () => {
  const song = { ...emptySong('s', 'S'), moves: [] } as Song;
  const curve = curveDescription.parse({ kind: 'points', points: [{ atS: 0, by: 0 }] });
  const moves = withMove(
    { moves: withMove(song, partTarget('a', 'levelDb'), curve, 'm1') },
    partTarget('b', 'levelDb'),
    curve,
    'm2',
  );
  const again = structuredClone(moves);
  const changed = again.with(1, {
    ...again[1],
    curve: curveDescription.parse({ kind: 'points', points: [{ atS: 0, by: -3 }] }),
  });
  const kept = keptMoves(moves, changed);
  expect([kept[0] === moves[0], kept[1] === moves[1]]).toEqual([true, false]);
  expect(kept).toEqual(changed);
});
