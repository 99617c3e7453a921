import { expect, test } from '@jest/globals';
import { fireEvent, render, screen } from '@testing-library/react';
import { tempoDescription } from '@pannet/core/moves/tempo';
import { TimeField } from './TimeField.tsx';

const tempo = tempoDescription.parse([{ atS: 0, bpm: 120, beatsPerBar: 4 }]);

function show(seconds: number, byBars: boolean) {
  const taken: number[] = [];
  const refused: string[] = [];
  render(
    <TimeField
      label="Loop from"
      seconds={seconds}
      sample={1 / 48_000}
      tempo={byBars ? tempo : null}
      onCommit={(to) => taken.push(to)}
      onRefuse={(sentence) => refused.push(sentence)}
    />,
  );
  const field = screen.getByRole<HTMLInputElement>('textbox', { name: 'Loop from' });
  const type = (text: string) => {
    fireEvent.change(field, { target: { value: text } });
    fireEvent.keyDown(field, { key: 'Enter' });
  };
  const press = (key: string, held = {}) => fireEvent.keyDown(field, { key, ...held });
  return { field, taken, refused, type, press };
}

test('by bars it shows and takes bars, and a time with a colon all the same', () => {
  const { field, taken, refused, type } = show(5, true);
  expect(field.value).toBe('3.3');
  type('2');
  type('2.1.3');
  type('0:01.5');
  expect(taken).toEqual([2, 2.25, 1.5]);
  type('2.9');
  expect(taken).toHaveLength(3);
  expect(refused).toEqual([
    'Loop from is a bar, its beat and sixteenth, such as 17.3.2, or a time such as 1:02.5; “2.9” is none.',
  ]);
});

test('by bars keys nudge by sixteenths, bars and samples', () => {
  const { taken, press } = show(5, true);
  press('ArrowUp');
  press('ArrowDown', { shiftKey: true });
  press('ArrowUp', { altKey: true });
  expect(taken[0]).toBeCloseTo(5.125, 9);
  expect(taken[1]).toBeCloseTo(3, 9);
  expect(taken[2]).toBeCloseTo(5 + 1 / 48_000, 9);
});

test('by time it is as it was: typed in seconds, nudged by tenths', () => {
  const { field, taken, refused, type, press } = show(5, false);
  expect(field.value).toBe('0:05.000');
  type('62.5');
  press('ArrowUp');
  type('17.3.2');
  expect(taken).toEqual([62.5, 5.1]);
  expect(refused).toEqual(['Loop from is a time such as 1:02.5 or 62.5; “17.3.2” is none.']);
});
