import { expect, test } from '@jest/globals';
import { arrivalBands, bandTop, msOfY, panOfX, xOfPan, yOfMs } from './placement-scale.ts';
import { changeName, delayAt, delayStepped } from './voice-edits.ts';
import { newVoice } from '@pannet/core/voices/voice';

const box = { width: 568, height: 480 };

test('arrival and height are each other’s inverse over the whole scale', () => {
  for (let ms = -50; ms <= 150; ms += 0.25) expect(msOfY(yOfMs(ms, box), box)).toBeCloseTo(ms, 6);
  expect(msOfY(-100, box)).toBe(-50);
  expect(msOfY(9999, box)).toBe(150);
});

test('the bands have the heights that the drawing promises', () => {
  const bands = arrivalBands(box);
  expect(bands.reduce((sum, band) => sum + band.share, 0)).toBeCloseTo(1, 12);
  expect(bands.find((band) => band.name.startsWith('widens'))?.share).toBeGreaterThan(0.5);
  expect(bandTop(1, box)).toBeCloseTo(yOfMs(0, box), 9);
});

test('of a struck source the echo begins earlier, and the scale with it', () => {
  const struck = { ...box, echoMs: 12 };
  for (const ms of [-30, 0.4, 5, 12, 80])
    expect(msOfY(yOfMs(ms, struck), struck)).toBeCloseTo(ms, 6);
  expect(yOfMs(12, struck)).toBeCloseTo(yOfMs(40, box), 6);
  expect(arrivalBands(struck)[2].ticks).toEqual([1, 5, 10]);
  expect(arrivalBands(box)[2].ticks).toEqual([1, 10, 20, 30]);
});

test('position: rails are hard out, the axis pulls, the field between is whole percent', () => {
  for (const pan of [-100, -70, -20, 0, 33, 80, 100])
    expect(panOfX(xOfPan(pan, box), box)).toBe(pan);
  expect(panOfX(xOfPan(0, box) + 5, box)).toBe(0);
  expect(panOfX(0, box)).toBe(-100);
  expect(panOfX(box.width, box)).toBe(100);
});

test('delays keep their unit: tenths of a ms, single samples with Alt, whole samples', () => {
  expect(delayAt(12.3456, 'ms', 48_000, false)).toEqual({ value: 12.3, unit: 'ms' });
  expect(delayAt(12.3456, 'samples', 48_000, false)).toEqual({ value: 593, unit: 'samples' });
  expect(delayAt(400, 'ms', 48_000, false).value).toBe(150);
  const fine = delayStepped({ value: 12, unit: 'ms' }, 1, 48_000, true);
  expect((fine.value * 48_000) / 1000).toBeCloseTo(577, 2);
  expect(delayStepped({ value: 816, unit: 'samples' }, -10, 48_000, false)).toEqual({
    value: 806,
    unit: 'samples',
  });
});

test('a change reads as the engineer would say it', () => {
  const voice = newVoice('v2', 'right double', { delay: { value: 12, unit: 'ms' } });
  expect(changeName(voice, { delay: { value: 18.5, unit: 'ms' } })).toBe(
    'right double: delay 12.0 → 18.5 ms',
  );
  expect(changeName(voice, { delay: { value: 816, unit: 'samples' } })).toBe(
    'right double: delay 12.0 ms → 816 samples',
  );
  expect(changeName(voice, { placement: { kind: 'pan', panPercent: -40 } })).toBe(
    'right double: middle → L 40',
  );
  expect(changeName(voice, { levelDb: -6, muted: true })).toBe(
    'right double: level 0.0 → −6.0 dB, muted',
  );
});
