import { describe, expect, test } from '@jest/globals';
import { noise } from '../measurement/signals.fixture.ts';
import { compile } from '../rendering/compile.ts';
import { memorySong } from '../rendering/memory.fixture.ts';
import { renderPart } from '../rendering/offline.ts';
import { apply } from '../song/commands.ts';
import { partTarget } from '../song/moves-of.ts';
import type { Move } from '../song/song.ts';
import { curveAt, curveDescription } from './curve.ts';
import { barsAt, beatsAt, secondsAtBar, tempoAt, tempoDescription } from './tempo.ts';

const rate = 48_000;

describe('tempo', () => {
  const tempo = tempoDescription.parse([
    { atS: 0, bpm: 120 },
    { atS: 10, bpm: 60 },
  ]);

  test('beats are counted through changes: 20 in ten seconds at 120, then one a second', () => {
    expect([0, 5, 10, 13].map((seconds) => beatsAt(tempo, seconds))).toEqual([0, 10, 20, 23]);
  });

  test('bars are counted through changes of tempo and of beats in a bar, and back', () => {
    const map = tempoDescription.parse([
      { atS: 0, bpm: 120 },
      { atS: 8, bpm: 90, beatsPerBar: 3 },
    ]);
    // Four bars of four beats in 8 s, then one of three in 2 s.
    expect([0, 1, 8, 10, 11].map((seconds) => barsAt(map, seconds))).toEqual([0, 0.5, 4, 5, 5.5]);
    for (const bars of [0, 0.25, 3.9, 4, 4.1, 77])
      expect(barsAt(map, secondsAtBar(map, bars))).toBeCloseTo(bars, 9);
    expect([0, 7.9, 8, 99].map((seconds) => tempoAt(map, seconds).bpm)).toEqual([120, 120, 90, 90]);
  });

  test.each([
    [[]],
    [[{ atS: 1, bpm: 120 }]],
    [
      [
        { atS: 0, bpm: 120 },
        { atS: 0, bpm: 90 },
      ],
    ],
    [[{ atS: 0, bpm: 5 }]],
  ])('%j is no tempo map', (map) => {
    expect(tempoDescription.safeParse(map).success).toBe(false);
  });
});

describe('a curve', () => {
  test('of points goes straight, smoothly, or in steps between them, and holds beyond', () => {
    const curve = curveDescription.parse({
      kind: 'points',
      points: [
        { atS: 1, by: 0 },
        { atS: 2, by: -6, shape: 'smooth' },
        { atS: 4, by: -12, shape: 'step' },
        { atS: 5, by: 0 },
      ],
    });
    const at = (seconds: number) => curveAt(curve, seconds, null);
    expect([0, 1.5, 2, 3, 4.9, 5, 99].map(at)).toEqual([0, -3, -6, -9, -12, 0, 0]);
    expect(at(2.5)).toBeCloseTo(-6 - 6 * (3 / 16 - 2 / 64), 9);
  });

  test('of thousands of points is found by halves as it is one by one', () => {
    const points = Array.from({ length: 1000 }, (_, n) => ({ atS: n ** 1.3, by: -(n % 24) }));
    const curve = curveDescription.parse({ kind: 'points', points });
    for (let n = 1; n < 999; n += 7) {
      const [here, next] = [points[n], points[n + 1]];
      expect(curveAt(curve, here.atS, null)).toBeCloseTo(here.by, 9);
      const way = (here.atS + next.atS) / 2;
      expect(curveAt(curve, way, null)).toBeCloseTo((here.by + next.by) / 2, 9);
    }
  });

  test('of a cycle takes away its depth once a cycle, in Hz or in beats', () => {
    const by = (rateOf: object, shape = 'sine') =>
      curveDescription.parse({ kind: 'cycle', rate: rateOf, depthDb: 12, shape });
    const tempo = tempoDescription.parse([{ atS: 0, bpm: 60 }]);
    for (const shape of ['sine', 'triangle', 'square'])
      expect(curveAt(by({ value: 2 }, shape), 0, null)).toBeCloseTo(0, 9);
    expect(curveAt(by({ value: 2 }), 0.25, null)).toBeCloseTo(-12, 9);
    expect(curveAt(by({ value: 2, unit: 'beats' }), 1, tempo)).toBeCloseTo(-12, 9);
    expect(curveAt(by({ value: 2, unit: 'beats' }), 2, tempo)).toBeCloseTo(0, 9);
  });
});

test('a level that moves is heard as its curve says, worked out at the ends of each quantum', async () => {
  const memory = memorySong([noise(2, rate, 4)], rate);
  const move: Move = {
    id: 'm',
    target: partTarget('p0', 'levelDb'),
    curve: curveDescription.parse({
      kind: 'cycle',
      rate: { value: 3 },
      depthDb: 20,
    }) as Move['curve'],
  };
  const moved = apply(memory.song, {
    id: 'c',
    name: 'move',
    role: 'do',
    edits: [{ kind: 'set-moves', moves: [move] }],
  });
  if (!moved.ok) throw new Error(moved.error.sentence);
  const sidesOf = async (song: typeof memory.song) => {
    const left: number[] = [];
    for await (const block of renderPart(compile(song, new Map()), 'p0', memory.load, 0, 60_000))
      left.push(...block.left);
    return left;
  };
  const [still, moving] = [await sidesOf(memory.song), await sidesOf(moved.value.song)];
  for (let n = 0; n < 60_000; n += 61) {
    const db = -10 * (1 - Math.cos(2 * Math.PI * 3 * (n / rate)));
    // 20 dB three times a second: straight lines of 2.7 ms miss it by less than 0.1 dB.
    expect(Math.abs(moving[n] - still[n] * 10 ** (db / 20))).toBeLessThan(
      0.012 * Math.abs(still[n]) + 1e-6,
    );
  }
});
