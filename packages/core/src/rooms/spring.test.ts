import { describe, expect, test } from '@jest/globals';
import { noise } from '../measurement/signals.fixture.ts';
import { decayAt } from './absorption.ts';
import { impulse, nothing, octave, power, returned, t30, ways } from './impulse.fixture.ts';
import { ringingMemory } from './ringing.ts';
import { newRoom, type Room } from './room.ts';

const rate = 48_000;
const { abs, log10, max, sqrt } = Math;
const spring = (changes: Partial<Room> = {}) =>
  newRoom('r', 'Spring', { kind: 'spring', lowPercent: 100, highPercent: 100, ...changes });

describe('a spring', () => {
  test.each([0.6, 1.8, 4])('of %d s: T30 within 5 %% of what is set, 250 Hz to 4 kHz', (decayS) => {
    const room = spring({ decayS });
    const all = ways(room, 1.5 * decayS + 0.2);
    for (const hz of [250, 500, 1000, 2000, 4000]) {
      const { seconds } = t30(all.map((way) => octave(way, hz)));
      expect([hz, abs(seconds / decayS - 1) < 0.05, seconds / decayS]).toEqual([
        hz,
        true,
        seconds / decayS,
      ]);
    }
  });

  test('lows and highs die away as they are set', () => {
    const room = spring({ decayS: 2, lowPercent: 60, highPercent: 40 });
    const all = ways(room, 4);
    for (const hz of [125, 1000, 6000]) {
      const { seconds } = t30(all.map((way) => octave(way, hz)));
      const [one, two] = [decayAt(room, hz / 2, rate), decayAt(room, hz * 2, rate)];
      expect(seconds).toBeGreaterThan(0.9 * Math.min(one, two));
      expect(seconds).toBeLessThan(1.1 * max(one, two));
    }
  });

  test('is a chirp: what lies high comes later than what lies low, each time round more so', () => {
    const { late } = returned(spring(), impulse, impulse, rate / 2);
    /** When half of the energy of an octave has come, in a stretch. */
    const middle = (hz: number, fromMs: number, toMs: number) => {
      const band = octave(late[0], hz).subarray(48 * fromMs, 48 * toMs);
      const half = power(band) / 2;
      let sum = 0;
      return band.findIndex((value) => (sum += value * value) > half) / 48;
    };
    const first = middle(3500, 40, 75) - middle(700, 40, 75);
    expect(first).toBeGreaterThan(2);
    const second = middle(3500, 82, 125) - middle(700, 82, 125);
    expect(second).toBeGreaterThan(1.5 * first);
  });

  test('its sides are unlike, and alone it folds 3 dB softer; each side is fed its own more', () => {
    const { late, early } = returned(spring(), impulse, impulse, 2 * rate);
    const [l, r] = late;
    const cross = l.reduce((sum, value, n) => sum + value * r[n], 0);
    expect(abs(cross / sqrt(power(l) * power(r)))).toBeLessThan(0.2);
    const fold = l.map((value, n) => (value + r[n]) / 2);
    expect(abs(10 * log10(power(fold) / ((power(l) + power(r)) / 2)) + 3)).toBeLessThan(0.7);
    expect(power(early[0]) + power(early[1])).toBe(0);
    const alone = returned(spring(), impulse, nothing, 2 * rate).late;
    expect(10 * log10(power(alone[0]) / power(alone[1]))).toBeGreaterThan(4);
  });

  test('of noise it gives back as much as comes in, within 2 dB, and no octave stands out by 6 dB', () => {
    const sound = noise(6, rate, 3);
    for (const decayS of [0.5, 2]) {
      const { late } = returned(spring({ decayS }), sound, sound, 6 * rate - 128);
      const whole = power(Float64Array.from(sound), 3 * rate);
      for (const side of late)
        expect(abs(10 * log10(power(side, 3 * rate) / whole))).toBeLessThan(2);
    }
    const { late } = returned(spring({ decayS: 1 }), impulse, impulse, 2 * rate);
    const levels = [125, 250, 500, 1000, 2000, 4000, 8000].map(
      (hz) => 10 * log10(power(octave(late[0], hz)) / hz),
    );
    for (let n = 1; n < levels.length; n++) expect(abs(levels[n] - levels[n - 1])).toBeLessThan(6);
  });

  test.each([8000, 192_000])('at %d Hz it lasts as long', (rateHz) => {
    const all = ways(spring({ decayS: 1.2 }), 2, rateHz);
    for (const hz of [250, 500, 1000]) {
      const { seconds } = t30(
        all.map((way) => octave(way, hz, rateHz)),
        rateHz,
      );
      expect(abs(seconds / 1.2 - 1)).toBeLessThan(0.05);
    }
  });

  test('every size and decay: after its memory nothing is left of an impulse', () => {
    for (const sizePercent of [30, 100, 200])
      for (const [decayS, lowPercent, highPercent] of [
        [0.1, 100, 100],
        [0.4, 200, 10],
        [0.7, 25, 100],
      ]) {
        const room = spring({ sizePercent, decayS, lowPercent, highPercent });
        const frames = ringingMemory(room, rate);
        const { late } = returned(room, impulse, impulse, frames + 4800);
        for (const side of late) {
          expect(side.every(Number.isFinite)).toBe(true);
          const rest = side.subarray(frames).reduce((most, value) => max(most, abs(value)), 1e-9);
          expect(20 * log10(rest)).toBeLessThan(-120);
        }
      }
  });
});
