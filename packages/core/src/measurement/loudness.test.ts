import { describe, expect, test } from '@jest/globals';
import { integratedLoudness, kWeighting, LoudnessMeter } from './loudness.ts';
import { joined, sine } from './signals.fixture.ts';

const rate = 48_000;

/** The same tone on both sides, as all of Tech 3341's stereo cases have it. */
function both(...pieces: (readonly [levelDb: number, seconds: number])[]) {
  const side = joined(...pieces.map(([levelDb, seconds]) => sine(1000, levelDb, seconds, rate)));
  return [side, side];
}

describe('K-weighting', () => {
  test('at 48 kHz is the filter printed in ITU-R BS.1770-5, tables 1 and 2', () => {
    const [shelf, pass] = kWeighting(48_000);
    expect(shelf.b0).toBeCloseTo(1.53512485958697, 6);
    expect(shelf.b1).toBeCloseTo(-2.69169618940638, 6);
    expect(shelf.b2).toBeCloseTo(1.19839281085285, 6);
    expect(shelf.a1).toBeCloseTo(-1.69065929318241, 6);
    expect(shelf.a2).toBeCloseTo(0.73248077421585, 6);
    expect(pass.a1).toBeCloseTo(-1.99004745483398, 6);
    expect(pass.a2).toBeCloseTo(0.99007225036621, 6);
  });

  test.each([44_100, 48_000, 96_000, 192_000])(
    'a 997 Hz full-scale sine in one channel reads −3.01 LUFS at %i Hz (BS.1770-5)',
    (rateHz) => {
      const tone = sine(997, 0, 5, rateHz);
      const reading = integratedLoudness([tone, new Float32Array(tone.length)], rateHz);
      // The standard prints its filter for 48 kHz; elsewhere it asks for the same response, which holds within 0.03 dB.
      expect(Math.abs(reading + 3.01)).toBeLessThan(rateHz > 48_000 ? 0.03 : 0.005);
    },
  );
});

/** EBU Tech 3341 (2016), table 1; the cases as listed there, from memory. Tolerance ±0.1 LU. */
describe('EBU Tech 3341', () => {
  test.each([
    ['case 1', both([-23, 20]), -23],
    ['case 2', both([-33, 20]), -33],
    ['case 3', both([-36, 10], [-23, 60], [-36, 10]), -23],
    ['case 4', both([-72, 10], [-36, 10], [-23, 60], [-36, 10], [-72, 10]), -23],
    ['case 5', both([-26, 20], [-20, 20.1], [-26, 20]), -23],
  ])('%s, integrated', (_, channels, expected) => {
    expect(Math.abs(integratedLoudness(channels, rate) - expected)).toBeLessThan(0.1);
  });

  test('case 9: short term stays at −23.0 LUFS from 3 s on', () => {
    const channels = both(
      ...Array.from(
        { length: 5 },
        () =>
          [
            [-20, 1.34],
            [-30, 1.66],
          ] as const,
      ).flat(),
    );
    const meter = new LoudnessMeter(rate, 2);
    meter.process(channels, channels[0].length);
    const readings = meter.shortTerm();
    expect(readings.length).toBeGreaterThan(100);
    for (const reading of readings) expect(Math.abs(reading + 23)).toBeLessThan(0.1);
  });

  test('case 12: momentary stays at −23.0 LUFS from 1 s on', () => {
    const channels = both(
      ...Array.from(
        { length: 25 },
        () =>
          [
            [-20, 0.18],
            [-30, 0.22],
          ] as const,
      ).flat(),
    );
    const meter = new LoudnessMeter(rate, 2);
    meter.process(channels, channels[0].length);
    for (const reading of meter.momentary().slice(6))
      expect(Math.abs(reading + 23)).toBeLessThan(0.1);
  });
});

test('silence has no loudness, and pieces of any size read as the whole does', () => {
  const silent = new Float32Array(rate);
  expect(integratedLoudness([silent, silent], rate)).toBe(-Infinity);
  const [left, right] = both([-20, 3], [-40, 2], [-18, 1]);
  const meter = new LoudnessMeter(rate, 2);
  for (let at = 0, size = 1; at < left.length; at += size, size = (size * 7) % 4999) {
    const count = Math.min(size, left.length - at);
    meter.process([left.subarray(at), right.subarray(at)], count);
  }
  expect(meter.integrated()).toBeCloseTo(integratedLoudness([left, right], rate), 9);
});
