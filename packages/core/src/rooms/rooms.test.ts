import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { noise } from '../measurement/signals.fixture.ts';
import { tempoDescription } from '../moves/tempo.ts';
import { anyOf } from '../parameters/any.fixture.ts';
import { decayAt } from './absorption.ts';
import { characters } from './character.ts';
import { echoFrames } from './echo.ts';
import { impulse, nothing, octave, power, returned, t30, ways } from './impulse.fixture.ts';
import { inTempo } from './in-tempo.ts';
import { lineFrames } from './network.ts';
import { ringingMemory } from './ringing.ts';
import { reflections } from './reflections.ts';
import {
  newRoom,
  roomDescription,
  networkKinds,
  type NetworkKind,
  type Room,
  type RoomSound,
} from './room.ts';

const rate = 48_000;
const network = (changes: Partial<Room> & { readonly kind: NetworkKind }) =>
  newRoom('r', 'Room', changes) as Room & RoomSound;
const { abs, log10, max, sqrt } = Math;
const isPrime = (value: number) => {
  for (let by = 2; by * by <= value; by++) if (value % by === 0) return false;
  return value > 1;
};
const octaves = [250, 500, 1000, 2000, 4000];
const even = { lowPercent: 100, highPercent: 100 };

describe('a room of ours', () => {
  test.each(networkKinds.flatMap((kind) => [0.5, 1.4, 4].map((decayS) => [kind, decayS] as const)))(
    '%s of %d s: T30 within 5 %% of what is set, 250 Hz to 4 kHz, straight to 1 dB',
    (kind, decayS) => {
      const room = network({ kind, decayS, ...even });
      const all = ways(room, 1.5 * decayS);
      for (const hz of octaves)
        expect(abs(t30(all.map((way) => octave(way, hz))).seconds / decayS - 1)).toBeLessThan(0.05);
      for (const way of all) expect(t30([way]).strays).toBeLessThan(1);
    },
  );

  test('lows and highs decay as they are set, and that is what decayAt says', () => {
    const room = network({
      kind: 'hall',
      decayS: 2,
      lowPercent: 150,
      highPercent: 40,
    });
    expect(decayAt(room, 20, rate)).toBeCloseTo(3, 1);
    expect(decayAt(room, 20_000, rate)).toBeCloseTo(0.8, 1);
    const all = ways(room, 4);
    for (const hz of [500, 1000, 2000]) {
      const { seconds } = t30(all.map((way) => octave(way, hz)));
      const [low, high] = [
        decayAt(room, hz * Math.SQRT2, rate),
        decayAt(room, hz / Math.SQRT2, rate),
      ];
      expect(seconds).toBeGreaterThan(0.95 * low);
      expect(seconds).toBeLessThan(1.05 * high);
    }
  });

  test.each([8000, 44_100, 192_000])('at %d Hz it lasts as long', (rateHz) => {
    const room = network({ kind: 'chamber', decayS: 1.4, ...even });
    const all = ways(room, 2, rateHz);
    for (const hz of octaves.filter((one) => one < rateHz / 4)) {
      const { seconds } = t30(
        all.map((way) => octave(way, hz, rateHz)),
        rateHz,
      );
      expect(abs(seconds / 1.4 - 1)).toBeLessThan(0.05);
    }
  });

  test.each(networkKinds)('%s: its sides are unlike, and alone it folds 3 dB softer', (kind) => {
    const room = network({ kind, decayS: 1.5, ...even });
    for (const [left, right] of [
      [impulse, nothing],
      [nothing, impulse],
      [impulse, impulse],
    ]) {
      const { late } = returned(room, left, right, 2 * rate);
      const from = Math.round(0.1 * rate);
      const [l, r] = late.map((side) => side.subarray(from));
      const cross = l.reduce((sum, value, n) => sum + value * r[n], 0);
      expect(abs(cross / sqrt(power(l) * power(r)))).toBeLessThan(0.2);
      const fold = l.map((value, n) => (value + r[n]) / 2);
      const lossDb = 10 * log10(power(fold) / ((power(l) + power(r)) / 2));
      expect(abs(lossDb + 3)).toBeLessThan(0.7);
    }
  });

  test.each(networkKinds)('%s: no octave stands out by 6 dB, whatever its size', (kind) => {
    for (const sizePercent of [30, 100, 200]) {
      const room = network({ kind, decayS: 1, sizePercent, ...even });
      const { late } = returned(room, impulse, impulse, 2 * rate);
      const levels = [125, ...octaves, 8000].map((hz) => {
        const each = octave(late[0], hz);
        // White: an octave up has twice the band.
        return 10 * log10(power(each) / hz);
      });
      for (let n = 1; n < levels.length; n++)
        expect(abs(levels[n] - levels[n - 1])).toBeLessThan(6);
    }
  });

  test('of noise both parts of the return are as loud as what comes in, however long they last', () => {
    const [left, right] = [noise(6, rate, 3), noise(6, rate, 4)];
    for (const kind of networkKinds)
      for (const decayS of [0.3, 1.2]) {
        const room = network({ kind, decayS, ...even });
        const { early, late } = returned(room, left, right, 6 * rate - 128);
        const whole = power(Float64Array.from(left), 3 * rate);
        const db = (side: Float64Array) => 10 * log10(power(side, 3 * rate) / whole);
        for (const side of late) expect(abs(db(side))).toBeLessThan(1.5);
        if (characters[kind].box) for (const side of early) expect(abs(db(side))).toBeLessThan(2.5);
        else expect(power(early[0])).toBe(0);
      }
  });

  test('lines are prime and none twice, at every rate and size', () => {
    for (const kind of networkKinds)
      for (const sizePercent of [30, 100, 200])
        for (const rateHz of [8000, 44_100, 192_000]) {
          const lines = lineFrames(network({ kind, sizePercent }), rateHz);
          expect(new Set(lines).size).toBe(16);
          expect(lines.filter((line) => !isPrime(line))).toEqual([]);
        }
  });

  test('every allowed one dies away: after its memory nothing of an impulse is left', () => {
    fc.assert(
      fc.property(anyOf(roomDescription), (any) => {
        const { timeMs, feedbackPercent } = any.echo;
        const room = {
          ...any,
          decayS: Math.min(0.8, any.decayS),
          echo: {
            ...any.echo,
            timeMs: Math.min(90, timeMs),
            feedbackPercent: Math.min(50, feedbackPercent),
          },
        };
        const frames = ringingMemory(room, rate);
        const { early, late } = returned(room, impulse, impulse, frames + 4800);
        for (const side of [...early, ...late]) {
          expect(side.every(Number.isFinite)).toBe(true);
          const left = side.subarray(frames).reduce((most, value) => max(most, abs(value)), 1e-9);
          expect(20 * log10(left)).toBeLessThan(-120);
        }
      }),
      { numRuns: 60, interruptAfterTimeLimit: 30_000 },
    );
  });
});

describe('first reflections', () => {
  test('come from mirror images of the box: the first one off the floor, by hand', () => {
    const { box, walls } = characters.chamber;
    const [, , height] = box as readonly [number, number, number];
    const found = reflections(characters.chamber, 'left', 1, rate);
    const at = (shares: readonly number[]) => shares.map((share, n) => (box?.[n] ?? 0) * share);
    const [source, listener] = [at([0.29, 0.71, 0.45]), at([0.47, 0.36, 0.41])];
    const distance = (from: readonly number[]) =>
      Math.hypot(...from.map((value, n) => value - listener[n]));
    const direct = distance(source);
    const floor = distance([source[0], source[1], -source[2]]);
    const late = Math.round(((floor - direct) / 343) * rate);
    const one = found.find(({ frames }) => abs(frames - late) <= 1);
    expect(one).toBeDefined();
    // Its loudness against the one off the ceiling, which is farther.
    const ceiling = distance([source[0], source[1], 2 * height - source[2]]);
    const other = found.find(
      ({ frames }) => abs(frames - Math.round(((ceiling - direct) / 343) * rate)) <= 1,
    );
    const size = (of: typeof one) => Math.hypot(of?.left ?? 0, of?.right ?? 0);
    expect(size(one) / size(other)).toBeCloseTo(ceiling / floor, 6);
    expect(walls).toBeLessThan(1);
  });

  test('keep the energy of 1, and each source its side', () => {
    for (const kind of ['hall', 'chamber', 'ambience'] as const)
      for (const source of ['left', 'right'] as const) {
        const found = reflections(characters[kind], source, 1, rate);
        const energy = (of: 'left' | 'right') => found.reduce((sum, one) => sum + one[of] ** 2, 0);
        expect(energy('left') + energy('right')).toBeCloseTo(1, 9);
        const other = source === 'left' ? 'right' : 'left';
        expect(energy(source)).toBeGreaterThan(0.8 * energy(other));
      }
  });
});

describe('an echo', () => {
  const echo = (changes: Partial<Room['echo']>) => {
    const room = newRoom('r', 'Echo', { kind: 'echo' });
    return { ...room, echo: { ...room.echo, lowCutHz: null, highCutHz: null, ...changes } };
  };
  /** Where it sounds, in ms, and how loud. */
  const repeats = (side: Float64Array) =>
    [...side].flatMap((value, n) => (abs(value) > 1e-6 ? [[n / 48, value] as const] : []));

  test('comes back on each side after its own time, each time by as much softer', () => {
    const room = echo({ timeMs: 100, ratioPercent: 149, feedbackPercent: 50 });
    const { late, early } = returned(room, impulse, impulse, rate);
    expect(repeats(late[0]).slice(0, 4)).toEqual([
      [100, 1],
      [200, 0.5],
      [300, 0.25],
      [400, 0.125],
    ]);
    expect(repeats(late[1]).slice(0, 3)).toEqual([
      [149, 1],
      [298, 0.5],
      [447, 0.25],
    ]);
    expect(repeats(early[0])).toEqual([]);
  });

  test('crosses over: what was on the left is on the right the next time', () => {
    const room = echo({ timeMs: 100, feedbackPercent: 50, crossPercent: 100 });
    const { late } = returned(room, impulse, nothing, rate / 2);
    expect(repeats(late[0])).toEqual([
      [100, 1],
      [300, 0.25],
    ]);
    expect(repeats(late[1])).toEqual([
      [200, 0.5],
      [400, 0.125],
    ]);
  });

  test('loses its tone each time round', () => {
    const room = echo({ timeMs: 100, feedbackPercent: 80, highCutHz: 2000 });
    const { late } = returned(room, noise(0.09, rate, 3), nothing, rate);
    const high = (fromMs: number) => {
      const stretch = late[0].subarray(48 * fromMs, 48 * (fromMs + 90));
      return 10 * log10(power(octave(stretch, 8000)) / power(octave(stretch, 500)));
    };
    expect(high(100) - high(200)).toBeGreaterThan(20);
    expect(high(200) - high(300)).toBeGreaterThan(10);
  });

  test('in beats it goes by the tempo in which the song begins', () => {
    const room = echo({ beats: 0.75, ratioPercent: 150 });
    const tempo = tempoDescription.parse([{ atS: 0, bpm: 100 }]);
    expect(echoFrames(inTempo(room, tempo).echo, rate)).toEqual([21_600, 32_400]);
    expect(inTempo(room, null).echo.timeMs).toBe(375);
    expect(inTempo(echo({ beats: 8 }), tempo).echo.timeMs).toBe(2000);
    const hall = newRoom('r', 'Hall', { kind: 'hall' });
    expect(inTempo(hall, tempo)).toBe(hall);
  });

  test('in beats follows the tempo along the song, and is the same from wherever that is played', () => {
    const tempo = tempoDescription.parse([
      { atS: 0, bpm: 120 },
      // Another measure is no other tempo.
      { atS: 0.5, bpm: 120, beatsPerBar: 3 },
      { atS: 1, bpm: 96 },
      { atS: 2, bpm: 240 },
    ]);
    const room = inTempo(echo({ beats: 0.5, ratioPercent: 200, feedbackPercent: 0 }), tempo);
    expect(room.times).toEqual([
      { atS: 0, timeMs: 250 },
      { atS: 1, timeMs: 312.5 },
      { atS: 2, timeMs: 125 },
    ]);
    const clicks = new Float32Array(3 * rate);
    for (const atS of [0.1, 1.1, 2.5]) clicks[Math.round(atS * rate)] = 1;
    const whole = returned(room, clicks, clicks, 3 * rate).late;
    expect(repeats(whole[0])).toEqual([
      [350, 1],
      [1412.5, 1],
      [2625, 1],
    ]);
    expect(repeats(whole[1])).toEqual([
      [600, 1],
      [1725, 1],
      [2750, 1],
    ]);
    // A tone goes over without a click: no step is larger than its own by more than the two take apart.
    const tone = Float32Array.from({ length: 3 * rate }, (_, n) => Math.sin(n / 20));
    const { late } = returned(room, tone, tone, 3 * rate);
    const steepest = (side: Float64Array) => {
      let most = 0;
      for (let n = rate / 2; n < 3 * rate; n++) most = max(most, abs(side[n] - side[n - 1]));
      return most;
    };
    expect(steepest(late[0])).toBeLessThan(1 / 20 + 2 / (0.02 * rate));
    // However soon it changes again: after a frame, at once, or all along.
    const soon = [1, 1 + 0.2 / rate, 1 + 1 / rate, 1.005, 1.02, 1.03, 1.031, 1.04, 1.0401];
    const hasty = tempoDescription.parse(
      [0, ...soon].map((atS, n) => ({ atS, bpm: [480, 61, 240, 90][n % 4] })),
    );
    const quick = inTempo(echo({ beats: 0.5, feedbackPercent: 0 }), hasty);
    const heard = returned(quick, tone, tone, 3 * rate).late[0];
    expect(steepest(heard)).toBeLessThan(1 / 20 + 2 / (0.02 * rate));
    // It ends where the tempo does: at 61 beats a minute.
    const lateBy = Math.round((0.5 * 60 * rate) / 61);
    expect(heard.subarray(2 * rate)).toEqual(
      Float64Array.from(tone.subarray(2 * rate - lateBy, 3 * rate - lateBy)),
    );
    // From elsewhere, once what it remembers has passed.
    const from = 128 * 300;
    const memory = ringingMemory(room, rate);
    expect(memory).toBe(Math.round(0.625 * rate) + 1);
    const later = returned(room, tone.subarray(from), tone.subarray(from), 2 * rate, rate, from);
    for (const side of [0, 1] as const)
      expect(later.late[side].subarray(memory, 2 * rate - 128)).toEqual(
        late[side].subarray(from + memory, from + 2 * rate - 128),
      );
  });
});
