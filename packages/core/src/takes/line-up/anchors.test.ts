import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { seededRandom } from '../../signal/random.ts';
import { alignedArrangement } from '../arrangement.ts';
import { takeDescription, type Anchor } from '../take.ts';
import { alignFor, type Comparison } from './line-up.ts';
import { inMemory } from './performed.fixture.ts';
import { placeOnPath, type Path } from './path.ts';

const rate = 8000;
const frames = 4 * rate;

/** Bursts every 250 ms, and how another performance of them was found to lie. */
const random = seededRandom(4);
const samples = Float32Array.from({ length: frames }, (_, n) => {
  const since = n % (rate / 4);
  return Math.exp(-since / 200) * (2 * random() - 1);
});
const found: Comparison = {
  onsets: Array.from({ length: 15 }, (_, n) => ({
    at: (n + 1) * (rate / 4),
    late: 400 + Math.round(120 * (random() - 0.5)),
    sure: n % 4 !== 3,
  })),
  offset: 400,
  polarity: 'normal',
  alien: null,
};
const alien: Comparison = { ...found, alien: 'Unlike.' };

/** Any places held, in order, up to half a second from where they lie. */
const anyAnchors: fc.Arbitrary<readonly Anchor[]> = fc
  .array(fc.record({ place: fc.nat(frames - 1), by: fc.integer({ min: -4000, max: 4000 }) }), {
    minLength: 1,
    maxLength: 8,
  })
  .map((wanted) => {
    const held: Anchor[] = [];
    for (const { place, by } of wanted.sort((a, b) => a.place - b.place)) {
      const before = held.at(-1) ?? { place: -1, at: -1 };
      const at = Math.max(0, place + by);
      if (place > before.place + 100 && at > before.at + 100) held.push({ place, at });
    }
    return held;
  })
  .filter((held) => held.length > 0);

/** What of the take is heard at a frame. */
const readAt = ({ at, shift }: Path, frame: number) =>
  frame + shift[at.findLastIndex((place) => place <= frame)];

describe('what is held by hand', () => {
  test('is heard there to the frame, at any tightness, of alien takes, too', async () => {
    await fc.assert(
      fc.asyncProperty(
        anyAnchors,
        fc.constantFrom(0, 35, 70, 100),
        fc.constantFrom(found, alien),
        async (anchors, tightness, comparison) => {
          const align = await alignFor(comparison, inMemory(samples), rate, tightness, anchors);
          expect(align.anchors).toEqual(anchors);
          const path = align.path ?? { at: [0], shift: [0], alike: [1] };
          for (const { place, at } of anchors) expect(readAt(path, at)).toBe(place);
          // It is a path that a document may have, and that plays.
          const take = takeDescription.parse({
            id: 't2',
            name: 'two',
            recording: '0'.repeat(64),
            channel: 0,
            align: { to: 't1', ...align },
          });
          const pieces = alignedArrangement(take, frames, rate)?.pieces ?? [];
          for (const piece of pieces) expect(piece.from + piece.count).toBeLessThanOrEqual(frames);
        },
      ),
      { numRuns: 150 },
    );
  });

  test('leaves onsets far from it as tight as they are without it', async () => {
    const without = await alignFor(found, inMemory(samples), rate, 100);
    const held = { place: 2000 + 400, at: 2000 + 160 };
    const { path } = await alignFor(found, inMemory(samples), rate, 100, [held]);
    if (!path || !without.path) throw new Error('There is a path.');
    expect(placeOnPath(path, held.place)).toBe(held.at);
    for (const { at, late, sure } of found.onsets.filter((onset) => onset.at > 3000))
      if (sure) {
        const apart = placeOnPath(path, at + late) - at;
        expect(Math.abs(apart)).toBeLessThanOrEqual((3.5 * rate) / 1000);
      }
  });

  test('alone, at no tightness: the rest goes on as from there', async () => {
    const { path } = await alignFor(found, inMemory(samples), rate, 0, [{ place: 9000, at: 8700 }]);
    expect(path).toEqual({ at: [0], shift: [300], alike: [1] });
    expect((await alignFor(found, inMemory(samples), rate, 0)).path).toBeNull();
  });

  test.each([
    [
      'where it is heard',
      [
        { place: 10, at: 20 },
        { place: 30, at: 5 },
      ],
    ],
    [
      'where it lies',
      [
        { place: 30, at: 20 },
        { place: 30, at: 25 },
      ],
    ],
  ])('is in order %s', (_, anchors) => {
    const read = takeDescription.shape.align.safeParse({ to: 't1', anchors });
    expect(read.success).toBe(false);
    expect(read.error?.issues[0].message).toContain('in the order in which it was played');
  });
});
