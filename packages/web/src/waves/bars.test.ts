import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { fillBars, shadeColumns, type InkedPixels, type WaveValues } from './bars.ts';

const ink = 0x2f6b5c;
const wide = 40;
const high = 33;

function image(): InkedPixels {
  const pixels = new Uint32Array(wide * high);
  return { pixels, wide, high, middle: high / 2, reach: high / 2 - 2, ink };
}

/** How much ink a column has, in pixels; and how much each of its pixels. */
function column({ pixels }: InkedPixels, at: number) {
  const alphas = Array.from({ length: high }, (_, row) => (pixels[row * wide + at] >>> 24) / 255);
  return { alphas, total: alphas.reduce((sum, alpha) => sum + alpha, 0) };
}

const samplesFrom = (values: Float32Array, first = 0): WaveValues => ({
  values,
  inPairs: false,
  first,
  frames: 1,
});

test('a bar is as long as least and largest lie apart, wherever they lie, and of one piece', () => {
  const value = fc.float({ min: -2, max: 2, noNaN: true });
  fc.assert(
    fc.property(value, value, (one, other) => {
      const drawn = image();
      const values = Float32Array.from([Math.min(one, other), Math.max(one, other)]);
      const pairs = { values, inPairs: true, first: 0, frames: 100 };
      fillBars(drawn, 0, 100, { at: 0, from: 0, count: 100 }, pairs);
      const held = (v: number) => Math.max(-1, Math.min(1, v));
      const least = Math.min(1, values[0]);
      const most = Math.max(-1, values[1]);
      const expected = (held(most) - held(least)) * drawn.reach + 0.5;
      const { alphas, total } = column(drawn, 0);
      expect(Math.abs(total - expected)).toBeLessThan(0.01);
      const inked = alphas.flatMap((alpha, row) => (alpha > 0 ? [row] : []));
      expect(inked.at(-1)).toBe(inked[0] + inked.length - 1);
      // Only its ends are covered in part.
      for (const row of inked.slice(1, -1)) expect(alphas[row]).toBe(1);
      const middleOfIt = alphas.reduce((sum, alpha, row) => sum + alpha * (row + 0.5), 0) / total;
      const there = drawn.middle - ((held(most) + held(least)) / 2) * drawn.reach + 0.25;
      expect(Math.abs(middleOfIt - there)).toBeLessThan(0.51);
      for (let at = 1; at < wide; at++) expect(column(drawn, at).total).toBe(0);
    }),
  );
});

test('each column shows the samples that it stands for, and only those of the piece', () => {
  const values = Float32Array.from({ length: 300 }, (_, n) => (n === 137 ? 1 : n === 52 ? -1 : 0));
  const drawn = image();
  // Ten frames a pixel, seen from frame 20 on; the recording lies 30 frames later than the song, from its frame 40 on.
  fillBars(drawn, 20, 10, { at: 70, from: 40, count: 210 }, samplesFrom(values));
  const totals = Array.from({ length: wide }, (_, at) => column(drawn, at).total);
  const flat = totals.flatMap((total, at) => (Math.abs(total - 0.5) < 0.01 ? [at] : []));
  const full = totals.flatMap((total, at) => (total > 10 ? [at] : []));
  expect(full).toEqual([(52 + 30 - 20 - 2) / 10, (137 + 30 - 20 - 7) / 10]);
  expect(flat.length + full.length).toBe(21);
  expect([flat[0], flat.at(-1)]).toEqual([5, 25]);
  expect(drawn.pixels.every((pixel) => pixel === 0 || (pixel & 0xffffff) === ink)).toBe(true);
});

test('a stretch that has not come from the beginning is drawn where it lies', () => {
  const drawn = image();
  const values = new Float32Array(40);
  values[5] = 0.5;
  fillBars(drawn, 1000, 2, { at: 0, from: 0, count: 1e6 }, samplesFrom(values, 1020));
  const totals = Array.from({ length: wide }, (_, at) => column(drawn, at).total);
  expect(totals.slice(0, 10).every((total) => total === 0)).toBe(true);
  expect(totals[12]).toBeGreaterThan(5);
  expect(totals.filter((total) => total > 5)).toHaveLength(1);
});

test('where it sounds is shaded, never past the edges; bars are darker than that', () => {
  fc.assert(
    fc.property(fc.double({ min: -100, max: 100, noNaN: true }), (from) => {
      const drawn = image();
      shadeColumns(drawn, from, from + 12.4, 0.14);
      const shaded = Array.from({ length: wide }, (_, at) => column(drawn, at).alphas[20]);
      for (const [at, alpha] of shaded.entries()) {
        const inside = at >= Math.round(from) && at < Math.round(from + 12.4);
        expect(alpha).toBeCloseTo(inside ? 0.14 : 0, 2);
      }
      const nothing = image();
      shadeColumns(nothing, from, from - 0.1, 0.14);
      expect(nothing.pixels.every((pixel) => pixel === 0)).toBe(true);
      fillBars(drawn, 0, 1, { at: 0, from: 0, count: 20 }, samplesFrom(new Float32Array(20)));
      expect(column(drawn, 3).alphas[16]).toBeCloseTo(0.5, 2);
    }),
  );
});

test('where a column has few samples, bars join into one line', () => {
  for (const framesAPixel of [0.5, 1, 1.7, 3]) {
    const values = Float32Array.from({ length: 200 }, (_, n) => Math.sin(n / 2));
    const drawn = image();
    fillBars(drawn, 0, framesAPixel, { at: 0, from: 0, count: 200 }, samplesFrom(values));
    const rows = Array.from({ length: wide }, (_, at) =>
      column(drawn, at).alphas.flatMap((alpha, row) => (alpha > 0 ? [row] : [])),
    );
    for (let at = 1; at < wide; at++) {
      expect(Math.min(...rows[at])).toBeLessThanOrEqual(Math.max(...rows[at - 1]) + 1);
      expect(Math.max(...rows[at])).toBeGreaterThanOrEqual(Math.min(...rows[at - 1]) - 1);
    }
  }
});
