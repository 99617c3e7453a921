import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { driveShapes, type DriveShape } from '../amps/drive.ts';
import { bent, DriveRun } from '../amps/drive-run.ts';
import { noise } from '../measurement/signals.fixture.ts';
import { PeakFollower } from '../takes/compressor.ts';
import { Biquad } from './biquad.ts';
import { Cascade } from './cascade.ts';
import { bell } from './filters.ts';
import { brisk, gentle, HalfBand, steep, stretchFrames, type HalfBandTaps } from './half-band.ts';
import { addressOf, loops, memory, takeRoom, takeSingles } from './loops.ts';
import { delayTaps, interpolationWeights, movingPhases, movingTable, movingTaps } from './sinc.ts';

const { abs, exp, floor, max, min, round } = Math;

/** What is worked out is written where a loop writes, the plain way, in the same order. */
function plainOuter(taps: HalfBandTaps, x: Float64Array, at: number): number {
  const side = memory.subarray(taps.side, taps.side + taps.arms);
  let sum = 0;
  for (let k = 0; k < taps.arms; k++) sum += side[k] * (x[at + 2 * taps.arms - 1 - k] + x[at + k]);
  return sum;
}

function plainUp(taps: HalfBandTaps, samples: Float64Array): Float64Array {
  const { arms } = taps;
  const x = new Float64Array(2 * arms + samples.length);
  x.set(samples, 2 * arms);
  return Float64Array.from({ length: 2 * samples.length }, (_, m) => {
    const n = m >> 1;
    return m % 2 === 0 ? 2 * plainOuter(taps, x, n + 1) : x[n + arms + 1];
  });
}

function plainDown(taps: HalfBandTaps, twice: Float64Array): Float64Array {
  const { arms } = taps;
  const x = new Float64Array(4 * arms - 1 + twice.length);
  x.set(twice, 4 * arms - 1);
  const odd = Float64Array.from(
    { length: twice.length / 2 + 2 * arms - 1 },
    (_, n) => x[2 * n + 1],
  );
  return Float64Array.from(
    { length: twice.length / 2 },
    (_, n) => plainOuter(taps, odd, n) + 0.5 * x[2 * (n + arms)],
  );
}

/** In pieces of any length, as a caller may bring them. */
const cuts = fc.array(fc.integer({ min: 1, max: 2.5 * stretchFrames }), {
  minLength: 1,
  maxLength: 4,
});
const soundOf = (lengths: readonly number[]) =>
  Float64Array.from(noise(lengths.reduce((sum, length) => sum + length) / 48_000, 48_000, 7));
const filters = fc.constantFrom(steep, brisk, gentle);

describe('the loops in WebAssembly', () => {
  test('are what is committed of them', () => {
    const folder = mkdtempSync(join(tmpdir(), 'pannet-loops-'));
    try {
      const script = fileURLToPath(new URL('../../loops/write.mjs', import.meta.url));
      execFileSync(process.execPath, [script, folder], {
        env: { ...process.env, NODE_OPTIONS: '' },
      });
      for (const name of ['loops-bytes.ts', 'transforms-bytes.ts']) {
        const committed = fileURLToPath(new URL(name, import.meta.url));
        expect(readFileSync(committed, 'utf8')).toBe(readFileSync(join(folder, name), 'utf8'));
      }
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  });

  test('filter to the bits of plain loops, in pieces of any length', () => {
    fc.assert(
      fc.property(filters, cuts, (taps, lengths) => {
        const sound = soundOf(lengths);
        const [up, down] = [new HalfBand(taps), new HalfBand(taps)];
        const fast = new Float64Array(2 * sound.length);
        const back = new Float64Array(sound.length);
        let at = 0;
        for (const length of lengths) {
          fast.set(up.upsample(sound.subarray(at, at + length)), 2 * at);
          down.downsample(fast.subarray(2 * at, 2 * (at + length)), back.subarray(at, at + length));
          at += length;
        }
        expect(fast).toEqual(plainUp(taps, sound));
        expect(back).toEqual(plainDown(taps, fast));
      }),
      { numRuns: 12 },
    );
  });

  test('take a cascade to the bits of its sections one after the other, in pieces of any length', () => {
    const any = fc.record({
      hz: fc.double({ min: 20, max: 20_000, noNaN: true }),
      db: fc.integer({ min: -18, max: 18 }),
    });
    fc.assert(
      fc.property(fc.array(any, { maxLength: 5 }), cuts, (settings, lengths) => {
        const sections = settings.map(({ hz, db }) => bell(hz, db, 0.7, 48_000));
        const sound = soundOf(lengths);
        // It dies away to nothing.
        sound.fill(0, floor(sound.length / 2));
        const cascade = new Cascade(sections);
        const filtered = sound.slice();
        let at = 0;
        for (const length of lengths) cascade.process(filtered.subarray(at, (at += length)));
        for (const section of sections) new Biquad(section).process(sound, sound, sound.length);
        // Far under any last bit they let go of what is left at other times.
        const worst = filtered.reduce((most, value, n) => max(most, abs(value - sound[n])), 0);
        expect(worst).toBeLessThan(1e-20);
      }),
      { numRuns: 30 },
    );
  });

  test('squash by the level that a follower of peaks has, and let another one hear beside it', () => {
    const sound = soundOf([20_000]).map((value) => 0.4 * value);
    // It dies away to nothing, and sets in again.
    sound.fill(0, 4000, 9000);
    const [rateHz, attackMs, releaseMs, amount] = [48_000, 6, 40, 2];
    const [low, high] = [1, 2].map(() => new PeakFollower(attackMs, releaseMs, rateHz));
    high.state = [2, 2];
    const expected = sound.map((value) => value / (1 + amount * low.next(value)));
    for (const value of sound) high.next(value);
    const [x, state] = [takeRoom(sound.length), takeRoom(4)];
    memory.set(sound, x);
    memory.set([0, 2, 0, 2], state);
    const leftOf = (ms: number) => exp(-1000 / (ms * rateHz));
    for (let at = 0; at < sound.length; at += 1777) {
      const count = min(1777, sound.length - at);
      const [both, from] = [addressOf(state), addressOf(x + at)];
      loops.squash(leftOf(attackMs), leftOf(releaseMs), amount, both, from, count);
    }
    const worst = expected.reduce((most, value, n) => max(most, abs(memory[x + n] - value)), 0);
    expect(worst).toBeLessThan(5e-15);
    const [lowHeld, lowLevel, highHeld, highLevel] = [...low.state, ...high.state];
    const expectedState = [lowHeld, highHeld, lowLevel, highLevel];
    for (const [n, value] of expectedState.entries())
      expect(memory[state + n]).toBeCloseTo(value, 14);
  });

  test('bend what comes in pieces of any length as they bend it whole', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...driveShapes),
        fc.double({ min: 0.01, max: 60, noNaN: true }),
        cuts,
        (shape, driveDb, lengths) => {
          const whole = soundOf(lengths);
          const pieces = whole.slice();
          const drive = { shape, driveDb, inputDb: 0 };
          new DriveRun(drive).process(whole);
          const run = new DriveRun(drive);
          let at = 0;
          for (const length of lengths) run.process(pieces.subarray(at, (at += length)));
          expect(pieces).toEqual(whole);
        },
      ),
      { numRuns: 12 },
    );
  });

  test('read between values to the bits of plain loops, along any line', () => {
    const frames = 128;
    const singles = takeSingles(448);
    const [wide, made, behind] = [takeRoom(449), takeRoom(frames), takeRoom(frames)];
    const table = movingTable();
    singles.set(noise(448 / 48_000, 48_000, 3, 1));
    const sumOf = (weights: Float64Array, at: number) => {
      const sums = [0, 0, 0, 0];
      for (let k = 0; k < weights.length; k++) sums[k % 4] += weights[k] * singles[at + k];
      return sums[0] + sums[1] + (sums[2] + sums[3]);
    };
    const share = fc.double({ min: 0, max: 1, noNaN: true });
    fc.assert(
      fc.property(
        fc.oneof(fc.nat(40), fc.double({ min: 0, max: 40, noNaN: true })),
        fc.oneof(fc.constant(1), fc.double({ min: 0.5, max: 2, noNaN: true })),
        fc.option(fc.array(share, { minLength: frames, maxLength: frames })),
        fc.nat(frames - 1),
        (start, ratio, wander, from) => {
          if (wander) memory.set(wander, behind);
          const [x, out] = [addressOf(wide), addressOf(made)];
          const late = wander ? addressOf(behind) : 0;
          loops.readLine(
            table.byteOffset,
            singles.byteOffset,
            448,
            x,
            start + 1,
            ratio,
            late,
            from,
            frames,
            out,
          );
          for (let n = from; n < frames; n++) {
            const place = start + 1 + ratio * n - (wander ? wander[n] : 0);
            const phase = (place - floor(place)) * movingPhases;
            // Between two phases as near as each other either one is right.
            if (phase % 1 === 0.5) continue;
            const row = round(phase) * movingTaps;
            const weights = table.subarray(row, row + movingTaps);
            expect(memory[made + n]).toBe(sumOf(weights, floor(place)));
          }
        },
      ),
      { numRuns: 100 },
    );
  });

  test('read between values at one place as the sum of its taps says', () => {
    const frames = 128;
    const singles = takeSingles(frames + delayTaps);
    const [weights, wide, made] = [delayTaps, frames + delayTaps + 1, frames].map(takeRoom);
    singles.set(noise((frames + delayTaps) / 48_000, 48_000, 4, 1));
    fc.assert(
      fc.property(fc.double({ min: 0, max: 0.999, noNaN: true }), (fraction) => {
        const taps = interpolationWeights(fraction, delayTaps);
        memory.set(taps, weights);
        const [by, x, out] = [weights, wide, made].map(addressOf);
        loops.readStraight(by, delayTaps, singles.byteOffset, x, frames, out);
        for (let n = 0; n < frames; n++) {
          const sum = taps.reduce((so, tap, k) => so + tap * singles[n + k], 0);
          expect(memory[made + n]).toBe(sum);
        }
      }),
      { numRuns: 20 },
    );
  });

  test('bend what moves slowly along the curve itself, wherever its integral is read from', () => {
    const frames = 16_000;
    const ramp = Float64Array.from({ length: frames }, (_, n) => (2 * n) / frames - 1);
    const worst = (shape: DriveShape, driveDb: number, fromX: number) => {
      const samples = ramp.slice();
      new DriveRun({ shape, driveDb, inputDb: 0 }).process(samples);
      const late = DriveRun.latencyFrames;
      return samples.reduce((most, value, n) => {
        if (n < 200 || abs(ramp[n - late]) < fromX) return most;
        return max(most, abs(value - bent(shape, driveDb, ramp[n - late])));
      }, 0);
    };
    for (const shape of ['soft', 'uneven'] as const) {
      expect(worst(shape, 6, 0)).toBeLessThan(1e-5);
      expect(worst(shape, 20, 0)).toBeLessThan(1e-5);
      // Steeper than a frame at its middle: all but that.
      expect(worst(shape, 40, 0.1)).toBeLessThan(1e-5);
      expect(worst(shape, 60, 0.02)).toBeLessThan(1e-5);
    }
  });
});
