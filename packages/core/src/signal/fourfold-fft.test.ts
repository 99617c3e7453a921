import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { noise } from '../measurement/signals.fixture.ts';
import { Convolver } from './convolver.ts';
import { fourfoldFft } from './fourfold-fft.ts';
import { RealFft } from './spectrum.ts';
import { openRoom } from './transforms.ts';

const { abs, floor, max } = Math;

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
        // One behind the other, each through a window of its own size.
        const sound = openRoom(4 * size);
        const window = openRoom(size);
        window.values.fill(1 / size);
        const spectra = [rooms[0], rooms[1], rooms[2], rooms[3]] as const;
        fourfold.addFromSpectra(spectra, window, sound.at, 8 * size, 3);
        fourfold.addFromSpectra(spectra, window, sound.at, 8 * size, 4);
        let worst = 0;
        for (const [n, value] of sound.values.entries()) {
          const times = n < 3 * size ? 2 : 1;
          worst = max(worst, abs(value - times * signals[floor(n / size)][n % size]));
        }
        expect(worst).toBeLessThan(2e-7);
        sound.close();
        window.close();
        for (const [n, room] of rooms.entries()) {
          fft.forward(signals[n], spectrum);
          let apart = 0;
          for (const [k, value] of room.values.entries())
            apart = max(apart, abs(value - spectrum[k]));
          expect(apart).toBeLessThan(1e-12 * size);
          room.close();
        }
      }),
      { numRuns: 20 },
    );
  });

  test('of which the second half is nothing have the same spectra without it, whatever lies there', () => {
    for (let bits = 2; bits <= 14; bits++) {
      const size = 2 ** bits;
      const fourfold = fourfoldFft(size);
      const [whole, half] = [fourfold.openSpectra(), fourfold.openSpectra()];
      for (let n = 0; n < 4; n++) {
        fourfold.signal(n).fill(0);
        fourfold.signal(n).set(noiseOf(size / 2, n + bits));
      }
      fourfold.spectra(whole);
      for (let n = 0; n < 4; n++) fourfold.signal(n).fill(Number.NaN, size / 2);
      fourfold.spectraOfHalves(half);
      for (const n of [0, 1, 2, 3]) {
        const apart = half[n].values.map((value, k) => abs(value - whole[n].values[k]));
        expect(apart.reduce((most, one) => max(most, one))).toBeLessThan(1e-15 * size);
      }
      for (const room of [...whole, ...half]) room.close();
    }
  });

  test('as windows of one sound they have the spectra of what is seen through them', () => {
    const size = 256;
    const fourfold = fourfoldFft(size);
    const sound = openRoom(size);
    sound.singles.set(noiseOf(2 * size, 3));
    const window = openRoom(size);
    for (let n = 0; n < size; n++) window.values[n] = 1 + n / size;
    const begins = [0, 7, 130, 256];
    const [one, other, third, fourth] = begins.map((at) => sound.at + 4 * at);
    const rooms = [0, 1, 2, 3].map(() => openRoom(size + 2));
    const into = [rooms[0], rooms[1], rooms[2], rooms[3]] as const;
    fourfold.spectraOfWindows([one, other, third, fourth], window, into);
    const windowed = rooms.map(({ values }) => values.slice());
    for (const [n, at] of begins.entries())
      for (let k = 0; k < size; k++)
        fourfold.signal(n)[k] = sound.singles[at + k] * window.values[k];
    fourfold.spectra(into);
    for (const [n, { values }] of rooms.entries()) expect(windowed[n]).toEqual(values.slice());
    for (const room of [...rooms, sound, window]) room.close();
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
