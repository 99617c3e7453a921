import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { noise } from '../measurement/signals.fixture.ts';
import { Convolver } from './convolver.ts';
import { fourfoldFft } from './fourfold-fft.ts';
import { RealFft } from './spectrum.ts';
import { openRoom } from './transforms.ts';

const { abs, max } = Math;

const sizes = fc.integer({ min: 2, max: 12 }).map((bits) => 2 ** bits);
const noiseOf = (values: number, seed: number) =>
  noise((values + 1) / 48_000, 48_000, seed).slice(0, values);

describe('four signals through one transform', () => {
  test('have the spectra that the package fft.js says, in any size, and come back out of them', () => {
    fc.assert(
      fc.property(sizes, fc.nat(100), (size, seed) => {
        const fourfold = fourfoldFft(size);
        const signals = [0, 1, 2, 3].map((n) => noiseOf(size, seed + n));
        for (const [n, signal] of signals.entries()) fourfold.signal(n).set(signal);
        const rooms = [0, 1, 2, 3].map(() => openRoom(size + 2));
        fourfold.spectra([rooms[0], rooms[1], rooms[2], rooms[3]]);
        const fft = new RealFft(size);
        const spectrum = fft.createSpectrum();
        for (const [n, signal] of signals.entries()) expect(fourfold.signal(n)).toEqual(signal);
        fourfold.fromSpectra([rooms[0], rooms[1], rooms[2], rooms[3]]);
        for (const [n, signal] of signals.entries())
          for (const [at, value] of fourfold.signal(n).entries())
            expect(abs(value / size - signal[at])).toBeLessThan(1e-7);
        for (const [n, room] of rooms.entries()) {
          fft.forward(signals[n], spectrum);
          for (const [k, value] of room.values.entries())
            expect(abs(value - spectrum[k])).toBeLessThan(1e-12 * size);
          room.close();
        }
      }),
      { numRuns: 20 },
    );
  });

  test('are filtered each for itself, also when another size was asked for in between', () => {
    const size = 64;
    const fourfold = fourfoldFft(size);
    const kernel = fourfold.kernelOf([0, 0, -0.5]);
    fourfoldFft(2 ** 17);
    const signals = [0, 1, 2, 3].map((n) => noiseOf(size, n));
    for (const [n, signal] of signals.entries()) fourfold.signal(n).set(signal);
    fourfold.filter(kernel);
    for (const [s, signal] of signals.entries())
      for (let n = 0; n < size; n++)
        expect(fourfold.signal(s)[n]).toBeCloseTo(-0.5 * signal[(n + size - 2) % size], 6);
  });
});

describe('convolution', () => {
  test('is the sum that it stands for, of any length of stretch and impulse', () => {
    const any = fc.record({
      taps: fc.integer({ min: 1, max: 700 }),
      count: fc.integer({ min: 1, max: 9000 }),
      usual: fc.integer({ min: 1, max: 9000 }),
    });
    fc.assert(
      fc.property(any, ({ taps, count, usual }) => {
        const impulse = Float64Array.from(noiseOf(taps, 5), (value, n) => value * 0.99 ** n);
        const input = noiseOf(count + taps - 1, 6);
        const made = new Convolver(impulse, usual).process(input, count);
        expect(made.length).toBe(count);
        let worst = 0;
        for (let n = 0; n < count; n += 37) {
          let sum = 0;
          for (let k = 0; k < taps; k++) sum += impulse[k] * input[n + taps - 1 - k];
          worst = max(worst, abs(sum - made[n]));
        }
        expect(worst).toBeLessThan(1e-6);
      }),
      {
        numRuns: 40,
        examples: [[{ taps: 1, count: 1, usual: 1 }], [{ taps: 65, count: 9000, usual: 64 }]],
      },
    );
  });
});
