import { expect, test } from '@jest/globals';
import { curveAt, curveDescription, type Curve } from '@pannet/core/moves/curve';
import { axisOf } from './move-axis.ts';
import { laneHeight, lineOf, shownAt, timesOf, yOf, type DrawnMove } from './move-line.ts';

const rateHz = 48_000;
const axis = axisOf('levelDb', 0);
const moveOf = (curve: unknown): DrawnMove => ({
  curve: curveDescription.parse(curve) as Curve,
  parameter: 'levelDb',
  axis,
  rateHz,
  tempo: null,
});
const view = (fromS: number, toS: number) => ({ from: fromS * rateHz, to: toS * rateHz });

const points = moveOf({
  kind: 'points',
  points: [
    { atS: 1, by: 0 },
    { atS: 3, by: -12 },
  ],
});

test('a line is as high, pixel by pixel, as what it adds', () => {
  for (const [from, to] of [
    [0, 4],
    [1.5, 2.5],
    [0.9999, 1.0001],
  ]) {
    const line = lineOf(points, view(from, to), 400);
    if (line.kind !== 'line') throw new Error(line.kind);
    expect((line.heights.length - 1) * line.apart).toBe(400);
    for (const [n, height] of line.heights.entries()) {
      const atS = from + ((n * line.apart) / 400) * (to - from);
      expect(height).toBeCloseTo(yOf(axis, curveAt(points.curve, atS, null)), 9);
    }
  }
  expect(lineOf(points, view(0, 4), 0)).toEqual({ kind: 'line', apart: 2, heights: [] });
});

test('a cycle too fast to be told apart is the band between its ends', () => {
  const cycle = moveOf({ kind: 'cycle', rate: { value: 4, unit: 'Hz' }, depthDb: 12 });
  expect(lineOf(cycle, view(0, 4), 400).kind).toBe('line');
  const band = lineOf(cycle, view(0, 60), 400);
  if (band.kind !== 'band') throw new Error(band.kind);
  expect(band.top).toBeCloseTo(yOf(axis, 0), 6);
  expect(band.bottom).toBeCloseTo(yOf(axis, -12), 1);
});

test('from a height back to what is shown there, and from a pixel to its time', () => {
  for (const shown of [6, 0, -7.5, -30]) expect(shownAt(axis, yOf(axis, shown))).toBe(shown);
  expect(yOf(axis, 6)).toBe(5);
  expect(yOf(axis, -30)).toBe(laneHeight - 5);
  const { seconds, x } = timesOf(view(10, 12), 500, rateHz);
  for (const atS of [9, 10, 11.25, 12, 14]) expect(seconds(x(atS))).toBeCloseTo(atS, 9);
});
