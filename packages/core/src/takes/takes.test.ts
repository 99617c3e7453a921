import { describe, expect, test } from '@jest/globals';
import { noise, rms, sine } from '../measurement/signals.fixture.ts';
import { read } from '../parameters/reading.ts';
import { bell, highPass, highShelf, lowPass, lowShelf, sectionDb } from '../signal/filters.ts';
import { CompressorRun, PeakFollower, reductionDb } from './compressor.ts';
import {
  isNeutralPreparation,
  neutralPreparation,
  preparationDescription,
  PreparationRun,
  type Preparation,
} from './preparation.ts';

const rate = 48_000;
const peak = (levelDb: number) => 10 ** (levelDb / 20);

/** What the Audio EQ Cookbook (R. Bristow-Johnson, W3C Note 2021) defines its filters by. */
describe('cookbook filters', () => {
  test.each([100, 1000, 8000])('a bell at %i Hz has its gain there and none far away', (hz) => {
    for (const db of [-12, -3, 6, 18]) {
      const section = bell(hz, db, 1, rate);
      expect(sectionDb(section, hz, rate)).toBeCloseTo(db, 5);
      expect(sectionDb(section, 0.001, rate)).toBeCloseTo(0, 6);
      expect(sectionDb(section, rate / 2, rate)).toBeCloseTo(0, 5);
    }
  });

  test('a bell and its opposite undo each other everywhere', () => {
    for (let hz = 20; hz < 20_000; hz *= 1.3)
      expect(
        sectionDb(bell(700, 9, 0.8, rate), hz, rate) +
          sectionDb(bell(700, -9, 0.8, rate), hz, rate),
      ).toBeCloseTo(0, 5);
  });

  test('the bandwidth of a bell lies between the points of half its gain in dB', () => {
    // Q = 1.41 is one octave: 1/Q = 2·sinh(ln 2 / 2 · BW · w/sin w), w of the bilinear transform small here.
    const section = bell(500, 12, Math.SQRT2, rate);
    expect(sectionDb(section, 500 * Math.SQRT2, rate)).toBeCloseTo(6, 1);
    expect(sectionDb(section, 500 / Math.SQRT2, rate)).toBeCloseTo(6, 1);
  });

  test.each([lowShelf, highShelf])(
    'a shelf has half its dB at its frequency and all at its end',
    (shelf) => {
      const low = shelf === lowShelf;
      const section = shelf(1000, 8, Math.SQRT1_2, rate);
      expect(sectionDb(section, 1000, rate)).toBeCloseTo(4, 5);
      expect(sectionDb(section, low ? 0.001 : rate / 2, rate)).toBeCloseTo(8, 6);
      expect(sectionDb(section, low ? rate / 2 : 0.001, rate)).toBeCloseTo(0, 6);
    },
  );

  test.each([lowPass, highPass])(
    'a cut is 3.01 dB down at its corner and 12 dB an octave beyond',
    (cut) => {
      const section = cut(400, Math.SQRT1_2, rate);
      expect(sectionDb(section, 400, rate)).toBeCloseTo(-3.0103, 3);
      const [near, far] = cut === lowPass ? [1600, 3200] : [50, 25];
      expect(sectionDb(section, near, rate) - sectionDb(section, far, rate)).toBeCloseTo(12.04, 0);
    },
  );

  test('a corner beyond half the rate leaves a filter that stands', () => {
    for (const section of [lowPass(20_000, 0.7, 8000), bell(20_000, 12, 1, 8000)])
      for (const value of Object.values(section)) expect(Number.isFinite(value)).toBe(true);
  });
});

describe('the compressor', () => {
  test('its curve: nothing below the knee, the ratio above it, the quarter of the knee at the threshold', () => {
    expect(reductionDb(-40, -20, 4)).toBe(0);
    expect(reductionDb(-8, -20, 4)).toBeCloseTo(-9, 9);
    expect(reductionDb(-20, -20, 4)).toBeCloseTo((-0.75 * 6) / 8, 9);
    for (let level = -60; level < 0; level += 0.1)
      expect(reductionDb(level + 0.1, -20, 4)).toBeLessThanOrEqual(reductionDb(level, -20, 4));
    expect(reductionDb(-8, -20, 1)).toBeCloseTo(0, 12);
  });

  test('a steady tone is brought down by what the curve says, and made up', () => {
    const settings = { thresholdDb: -20, ratio: 4, attackMs: 5, releaseMs: 400, makeUpDb: 3 };
    const run = new CompressorRun(settings, rate);
    const samples = Float64Array.from(sine(1000, -8, 2, rate));
    run.process(samples);
    const out = 20 * Math.log10(rms(samples, rate, 2 * rate) * Math.SQRT2);
    // The smoothed detector reads a little under the peak.
    expect(out).toBeGreaterThan(-8 - 9 + 3 - 0.1);
    expect(out).toBeLessThan(-8 - 9 + 3 + 0.6);
    expect(run.mostReductionDb).toBeLessThan(-8);
    expect(run.mostReductionDb).toBeGreaterThan(-9.1);
  });

  test('attack and release take their times: 63 % of the way', () => {
    const up = new PeakFollower(20, 200, rate);
    let level = 0;
    for (let n = 0; n < (20 * rate) / 1000; n++) level = up.next(1);
    expect(level).toBeCloseTo(1 - Math.exp(-1), 2);
    const down = new PeakFollower(0.1, 200, rate);
    for (let n = 0; n < rate; n++) level = down.next(1);
    for (let n = 0; n < (200 * rate) / 1000; n++) level = down.next(0);
    expect(level).toBeCloseTo(Math.exp(-1), 2);
  });

  test('cut into blocks it does the same', () => {
    const settings = { thresholdDb: -30, ratio: 3, attackMs: 3, releaseMs: 80, makeUpDb: 0 };
    const whole = Float64Array.from(noise(0.5, rate, 3));
    const pieces = whole.slice();
    new CompressorRun(settings, rate).process(whole);
    const run = new CompressorRun(settings, rate);
    for (let at = 0; at < pieces.length; at += 1777) run.process(pieces.subarray(at, at + 1777));
    expect(pieces).toEqual(whole);
  });
});

describe('preparation', () => {
  test('left alone it is nothing', () => {
    const samples = Float64Array.from(noise(0.1, rate, 5));
    const before = samples.slice();
    new PreparationRun(neutralPreparation, rate).process(samples);
    expect(samples).toEqual(before);
    expect(isNeutralPreparation(neutralPreparation)).toBe(true);
  });

  test('low cut and bands act together', () => {
    const preparation: Preparation = {
      ...neutralPreparation,
      lowCutHz: 200,
      bands: neutralPreparation.bands.with(1, { kind: 'bell', hz: 1000, db: 6, q: 1 }),
    };
    for (const [hz, db] of [
      [1000, 6],
      [200, -2.6],
      [25, -36],
    ]) {
      const samples = Float64Array.from(sine(hz, -20, 2, rate));
      new PreparationRun(preparation, rate).process(samples);
      const gain = 20 * Math.log10((rms(samples, rate, 2 * rate) * Math.SQRT2) / peak(-20));
      expect(Math.abs(gain - db)).toBeLessThan(0.4);
    }
  });

  test.each<[string, Partial<Preparation>, RegExp]>([
    ['two bands', { bands: neutralPreparation.bands.slice(1) }, /3 bands; it had 2/],
    ['a low cut of 5 Hz', { lowCutHz: 5 }, /20/],
    [
      'a band that is a comb',
      { bands: neutralPreparation.bands.with(0, { kind: 'comb' as 'bell', hz: 100, db: 0, q: 1 }) },
      /“comb”/,
    ],
    ['a ratio under 1', { compressor: { ...neutralPreparation.compressor, ratio: 0.5 } }, /0\.5/],
  ])('%s is refused with a sentence', (_, changes, sentence) => {
    const checked = read(
      preparationDescription,
      { ...neutralPreparation, ...changes },
      'preparation',
    );
    expect(checked.ok).toBe(false);
    if (!checked.ok) expect(checked.error.sentence).toMatch(sentence);
  });
});
