import { expect, test } from '@jest/globals';
import { delayed, noise } from '../measurement/signals.fixture.ts';
import { measureStereo } from '../measurement/report.ts';
import { findingsOf } from './findings.ts';

const rate = 48_000;
const take = noise(6, rate, 70, 0.1);
const other = noise(6, rate, 71, 0.1);
const codes = (left: Float32Array, right: Float32Array) =>
  findingsOf(measureStereo(left, right, rate).report).map((finding) => finding.code);

test.each<[string, Float32Array, Float32Array, string[]]>([
  ['a double-tracked pair', take, other, ['nothing-wrong']],
  ['a mono pair', take, take, ['still-mono']],
  ['a late copy', take, delayed(take, 672), ['hollow', 'leads']],
  ['an opposite side', take, take.map((value) => -value), ['cancels', 'drops']],
  ['a heavy side', take, other.map((value) => value / 2), ['leans']],
  ['silence', new Float32Array(rate), new Float32Array(rate), ['silent']],
  [
    'a pair that is too hot',
    take.map((value) => value * 7),
    other.map((value) => value * 7),
    ['over-peak'],
  ],
])('%s', (_, left, right, expected) => {
  expect(codes(left, right)).toEqual(expected);
});
