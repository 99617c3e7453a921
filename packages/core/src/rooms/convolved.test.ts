import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { noise } from '../measurement/signals.fixture.ts';
import { differenceDb } from '../rendering/memory.fixture.ts';
import { impulse, nothing, power, returned, t30 } from './impulse.fixture.ts';
import { roomResponse } from './made-response.ts';
import { responseNeed } from './response.ts';
import { ringingOf } from './ringing.ts';
import { newRoom, type AnySound, type Room } from './room.ts';

const rate = 48_000;
const { exp, log, sqrt } = Math;

/** A room that rings by these sides, as they are recorded. */
function ringingBy(sides: readonly Float32Array[], own: Partial<Room['own']> = {}): AnySound {
  const room = newRoom('r', 'Room', { kind: 'own' });
  const response = roomResponse('k', sides, rate, own.decayPercent);
  return { ...room, own: { ...room.own, ...own }, response };
}

/** The sum as it is written, with nothing of ours in it, of a response that is as loud as nothing over both of its sides. */
function convolved(samples: Float32Array, side: Float32Array, energy: number, frames: number) {
  const out = new Float64Array(frames);
  for (let n = 0; n < samples.length; n++) {
    if (samples[n] === 0) continue;
    for (let k = 0; k < side.length && n + k < frames; k++) out[n + k] += samples[n] * side[k];
  }
  return out.map((value) => value / sqrt(energy));
}

/** Noise that falls by 60 dB in so long, with its highest value where it begins. */
function decaying(seconds: number, decayS: number, seed: number): Float32Array {
  const samples = noise(seconds, rate, seed).map(
    (value, n) => value * exp((-log(1000) * n) / (decayS * rate)),
  );
  samples[0] = 1;
  return samples;
}

const energyOf = (sides: readonly Float32Array[]) =>
  sides.reduce((sum, side) => sum + power(Float64Array.from(side)), 0) / sides.length;

describe('a room of a recorded response', () => {
  test.each([1, 2, 127, 128, 129, 1025, 4095, 4096, 4097, 16_385, 30_000])(
    'of %d frames is the sum of the convolution, each side with its own',
    (frames) => {
      const sides = [1, 2].map((seed) => decaying(frames / rate, 0.3, seed).slice(0, frames));
      const input = [3, 4].map((seed) => noise(0.1, rate, seed));
      const count = 128 * 300;
      const { late } = returned(ringingBy(sides), input[0], input[1], count);
      for (const side of [0, 1]) {
        const expected = convolved(input[side], sides[side], energyOf(sides), count);
        expect(differenceDb(late[side], expected)).toBeLessThan(-120);
      }
    },
  );

  test('of one side rings alike on both; both sides together reach both', () => {
    const side = decaying(0.4, 0.2, 1);
    const one = returned(ringingBy([side]), impulse, nothing, 128 * 200);
    expect(
      differenceDb(one.late[0], convolved(impulse, side, energyOf([side]), 128 * 200)),
    ).toBeLessThan(-120);
    // The other side is in the same transform: what is left of it is its rounding.
    expect(power(one.late[1])).toBeLessThan(1e-24);
    const sides = [side, decaying(0.4, 0.2, 2)];
    const both = returned(ringingBy(sides, { together: true }), impulse, nothing, 128 * 200);
    for (const n of [0, 1])
      expect(
        differenceDb(
          both.late[n],
          convolved(Float32Array.of(0.5), sides[n], energyOf(sides), 128 * 200),
        ),
      ).toBeLessThan(-120);
  });

  test('after it was emptied it is what it was at first, to the bit, wherever it was', () => {
    const ringing = ringingOf(ringingBy([decaying(0.6, 0.4, 1)]), rate);
    const pair = () => [new Float64Array(128), new Float64Array(128)] as const;
    const [early, late] = [pair(), pair()];
    const play = (quanta: number) => {
      const heard: number[] = [];
      for (let q = 0; q < quanta; q++) {
        const input = pair();
        if (q === 3) input[0][17] = 0.5;
        ringing.process(input[0], input[1], early, late, 128, 128 * q);
        heard.push(...late[0]);
      }
      return heard;
    };
    const first = play(300);
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 60 }), (before) => {
        play(before);
        ringing.clear();
        expect(play(300)).toEqual(first);
      }),
      { numRuns: 8 },
    );
  });

  test('silence gives silence, and nothing is left once its memory has passed', () => {
    const sound = ringingBy([decaying(0.5, 0.3, 1)]);
    const { late } = returned(sound, nothing, nothing, 128 * 300);
    expect(power(late[0])).toBe(0);
    const rung = returned(sound, impulse, impulse, 128 * 300).late[0];
    expect(power(rung, sound.response?.frames)).toBeLessThan(1e-12 * power(rung));
  });
});

describe('a recorded response made ready', () => {
  test('silence before and behind it is cut off, of both sides together, and it is as loud as nothing', () => {
    const sides = [0, 240].map((late) => {
      const whole = new Float32Array(rate);
      whole.set(decaying(0.4, 0.1, 1 + late), 4800 + late);
      return whole;
    });
    const { late } = returned(ringingBy(sides), impulse, impulse, 128 * 375);
    const first = (side: Float64Array) => side.findIndex((value) => value ** 2 > 1e-4);
    expect([first(late[0]), first(late[1])]).toEqual([0, 240]);
    expect(power(late[0]) + power(late[1])).toBeCloseTo(2, 3);
  });

  test.each([0.3, 1.1, 2.5])(
    'of %d s says so, and falls faster where it is told to (T30, ISO 3382-1)',
    (decayS) => {
      const side = decaying(1.6 * decayS, decayS, 5);
      const whole = roomResponse('k', [side], rate);
      expect((whole.decayS as number) / decayS).toBeGreaterThan(0.95);
      expect((whole.decayS as number) / decayS).toBeLessThan(1.05);
      for (const decayPercent of [25, 60]) {
        const sound = ringingBy([side], { decayPercent });
        const frames = 128 * Math.ceil((1.2 * decayS * rate) / 128);
        const { late } = returned(sound, impulse, nothing, frames);
        const { seconds } = t30([late[0]]);
        expect(seconds / ((decayS * decayPercent) / 100)).toBeGreaterThan(0.95);
        expect(seconds / ((decayS * decayPercent) / 100)).toBeLessThan(1.05);
        expect(power(late[0])).toBeCloseTo(1, 3);
      }
    },
  );

  test.each([
    ['nothing but silence', new Float32Array(500)],
    ['one frame', Float32Array.of(0.5)],
    ['what never falls', new Float32Array(5000).fill(0.3)],
    ['what is no number here and there', Float32Array.of(0.5, NaN, 0.2, Infinity, 0.1)],
  ])('%s is taken as it is, with no decay where there is none', (_, side) => {
    const { decayS, frames } = roomResponse('k', [side], rate, 50);
    expect(frames).toBeGreaterThan(0);
    expect(decayS === null || decayS > 0).toBe(true);
    const { late } = returned(ringingBy([side], { decayPercent: 50 }), impulse, impulse, 6400);
    expect([...late[0]].every(Number.isFinite)).toBe(true);
  });

  test('a room that rings by itself, or names nothing, needs none', () => {
    expect(responseNeed(newRoom('r', 'R', { kind: 'hall' }), {})).toBeNull();
    expect(responseNeed(newRoom('r', 'R', { kind: 'own' }), {})).toBeNull();
  });
});
