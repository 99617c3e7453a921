import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { anyOf } from '../parameters/any.fixture.ts';
import { barPlace, barsLater, secondsOfBarPlace, sixteenthsLater } from './bar-place.ts';
import { tempoDescription, type Tempo } from './tempo.ts';

const tempo: Tempo = tempoDescription.parse([
  { atS: 0, bpm: 120, beatsPerBar: 4 },
  // From bar 3 on in three, twice as slow.
  { atS: 4, bpm: 60, beatsPerBar: 3 },
]);

test.each([
  ['1', 0],
  ['1.2', 0.5],
  ['1.2.3', 0.75],
  ['1.1.1.50', 0.0625],
  ['2', 2],
  ['3', 4],
  ['3.2', 5],
  ['4', 7],
  ['4.3.4', 9.75],
])('%s is at %d s, and told so', (text, seconds) => {
  expect(secondsOfBarPlace(tempo, text)).toBeCloseTo(seconds, 9);
  expect(barPlace(tempo, seconds)).toBe(text);
});

test.each([
  '0',
  '1.0',
  '1.5',
  '3.4',
  '1.1.5',
  '1.1.1.100',
  '1,5',
  '',
  'bar 3',
  '1:02',
  '-1',
  '1..2',
  '1.',
])('“%s” is none', (text) => {
  expect(secondsOfBarPlace(tempo, text)).toBeNull();
});

test('a beat that only a longer bar has is none in a shorter one', () => {
  expect(secondsOfBarPlace(tempo, '2.4')).toBeCloseTo(3.5, 9);
  expect(secondsOfBarPlace(tempo, '3.4')).toBeNull();
});

test('whatever the tempo, what is told is a place, and that place is told the same', () => {
  fc.assert(
    fc.property(
      anyOf(tempoDescription),
      fc.double({ min: 0, max: 5000, noNaN: true }),
      (anyTempo, seconds) => {
        const told = barPlace(anyTempo as Tempo, seconds);
        const back = secondsOfBarPlace(anyTempo as Tempo, told);
        expect(back).not.toBeNull();
        expect(barPlace(anyTempo as Tempo, back ?? -1)).toBe(told);
      },
    ),
    { numRuns: 300 },
  );
});

test('a sixteenth and a bar later', () => {
  expect(sixteenthsLater(tempo, 1, 1)).toBeCloseTo(1.125, 9);
  expect(sixteenthsLater(tempo, 0.05, -1)).toBe(0);
  expect(barsLater(tempo, 1, 1)).toBeCloseTo(3, 9);
  expect(barsLater(tempo, 7, -1)).toBeCloseTo(4, 9);
});
