/** @jest-environment jsdom */
import { expect, jest, test } from '@jest/globals';
import { partParameters } from '@pannet/core/parameters/tables';
import { fireEvent, render, screen } from '@testing-library/react';
import { Slider } from './Slider.tsx';

test('what is dragged is shown, and kept once; told again at its end, after it went back, it is neither', () => {
  const [onPreview, onCommit] = [jest.fn(), jest.fn()];
  render(
    <Slider
      parameter={partParameters.levelDb}
      value={0}
      onPreview={onPreview}
      onCommit={onCommit}
    />,
  );
  const range = screen.getByRole('slider');
  fireEvent.input(range, { target: { value: '-3' } });
  fireEvent.input(range, { target: { value: '-6' } });
  expect(onPreview.mock.calls).toEqual([[-3], [-6]]);
  fireEvent.pointerUp(range);
  expect(onCommit.mock.calls).toEqual([[-6]]);
  // Nobody kept it: it stands where it was, and the browser ends what it moved.
  fireEvent.change(range, { target: { value: '-6' } });
  fireEvent.blur(range);
  expect(onPreview).toHaveBeenCalledTimes(2);
  expect(onCommit).toHaveBeenCalledTimes(1);
});
