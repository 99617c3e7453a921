import { describe, expect, test } from '@jest/globals';
import { checkParameter, clampParameter, describe as described } from '../parameters/parameter.ts';
import {
  driftParameters,
  rateParameter,
  stageParameters,
  tunerParameters,
  voiceParameters,
} from '../parameters/tables.ts';
import {
  cents,
  centsToRatio,
  db,
  dbToGain,
  frames,
  framesToMs,
  gainToDb,
  hz,
  ms,
  msToFrames,
  powerToDb,
} from './units.ts';
import { clock, figure, plural, signedFigure, secondsOf } from './wording.ts';

describe('units', () => {
  test('time', () => {
    expect(msToFrames(ms(12), hz(48_000))).toBe(576);
    expect(framesToMs(frames(816), hz(48_000))).toBe(17);
  });
  test('level', () => {
    expect(dbToGain(db(0))).toBe(1);
    expect(dbToGain(db(-6))).toBeCloseTo(0.5012, 4);
    expect(gainToDb(-0.5)).toBeCloseTo(-6.02, 2);
    expect(powerToDb(0.5)).toBeCloseTo(-3.01, 2);
    expect(gainToDb(0)).toBe(-Infinity);
  });
  test('pitch: an octave is 1200 cents, a semitone the twelfth root of two', () => {
    expect(centsToRatio(cents(1200))).toBe(2);
    expect(centsToRatio(cents(-100))).toBeCloseTo(2 ** (-1 / 12), 12);
  });
});

describe('figures', () => {
  test.each([
    [-6.04, 1, '−6.0', '−6.0'],
    [0, 1, '0.0', '0.0'],
    [-0.01, 1, '0.0', '0.0'],
    [0.04, 1, '0.0', '0.0'],
    [7, 0, '7', '+7'],
    [-Infinity, 1, '−∞', '−∞'],
    [Number.NaN, 1, '–', '–'],
  ])('%f at %i places', (value, places, plain, signed) => {
    expect(figure(value, places)).toBe(plain);
    expect(signedFigure(value, places)).toBe(signed);
  });
  test('clock and plural', () => {
    expect(clock(64.25)).toBe('1:04');
    expect(clock(64.25, 2)).toBe('1:04.25');
    expect(clock(59.99, 1)).toBe('0:59.9');
    expect(clock(-3)).toBe('0:00');
    for (const text of ['64.25', '1:04.25', ' 64,25 s', '0:64.25'])
      expect(secondsOf(text)).toBe(64.25);
    for (const text of ['', 'soon', '-3', '1:2:3', '1:']) expect(secondsOf(text)).toBeNull();
    expect([plural(1, 'part'), plural(0, 'part'), plural(2, 'voice')]).toEqual([
      '1 part',
      '0 parts',
      '2 voices',
    ]);
  });
});

describe('parameter tables', () => {
  const all = Object.entries({
    ...voiceParameters,
    ...stageParameters,
    ...driftParameters,
    rateParameter,
  });

  test.each(all)('%s has a default in its range, and takes its ends', (_, parameter) => {
    for (const value of [parameter.min, parameter.default, parameter.max])
      expect(checkParameter(parameter, value, 'x')).toEqual({ ok: true, value });
    for (const value of [
      parameter.min - 1,
      parameter.max + 1,
      Number.NaN,
      Infinity,
      '1',
      null,
      undefined,
      {},
    ]) {
      const outcome = checkParameter(parameter, value, 'place');
      expect(outcome.ok).toBe(false);
      if (!outcome.ok) {
        expect(outcome.error.place).toBe('place');
        expect(outcome.error.sentence).toMatch(/^[A-Z].* must be .*; it was .*\.$/);
      }
    }
  });

  test('values are held, whole ones asked for, long ones cut short in a sentence', () => {
    expect(clampParameter(tunerParameters.cents, 70)).toBe(50);
    expect(checkParameter(rateParameter, 44_100.5, 'x').ok).toBe(false);
    expect(described('x'.repeat(99))).toHaveLength(40);
    expect(described(undefined)).toBe('missing');
  });
});
