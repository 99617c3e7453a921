import { describe, expect, jest, test } from '@jest/globals';
import { voiceParameters } from '@pannet/core/parameters/tables';
import { fireEvent, render, screen } from '@testing-library/react';
import { userEvent } from '@testing-library/user-event';
import { useState } from 'react';
import { NumberField } from './NumberField.tsx';

function Field({
  from = 12,
  refuse = () => {},
}: {
  from?: number;
  refuse?: (sentence: string) => void;
}) {
  const [value, setValue] = useState(from);
  return (
    <NumberField
      parameter={voiceParameters.delayMs}
      value={value}
      onCommit={setValue}
      onRefuse={refuse}
    />
  );
}

const field = () => screen.getByLabelText<HTMLInputElement>('Delay');

describe('a number field', () => {
  test('takes what is typed on Enter, a comma and a true minus too, and shows its places', async () => {
    render(<Field />);
    await userEvent.clear(field());
    await userEvent.type(field(), '−7,5{Enter}');
    expect(field().value).toBe('−7.50');
    await userEvent.clear(field());
    await userEvent.type(field(), '11.1042');
    await userEvent.tab();
    expect(field().value).toBe('11.1042');
  });

  test('gives up on Escape', async () => {
    render(<Field />);
    await userEvent.clear(field());
    await userEvent.type(field(), '99{Escape}');
    expect(field().value).toBe('12.00');
  });

  test('refuses what is out of range or no number, with a sentence, and keeps the old value', async () => {
    const refuse = jest.fn<(sentence: string) => void>();
    render(<Field refuse={refuse} />);
    await userEvent.clear(field());
    await userEvent.type(field(), '175{Enter}');
    expect(refuse).toHaveBeenLastCalledWith('Delay must be between −50 and 150 ms; it was 175.');
    expect(field()).toHaveProperty('value', '12.00');
    expect(field().getAttribute('aria-invalid')).toBe('true');
    await userEvent.clear(field());
    await userEvent.type(field(), 'late{Enter}');
    expect(refuse).toHaveBeenLastCalledWith(
      expect.stringMatching(/must be a number between −50 and 150 ms/),
    );
  });

  test('steps by the arrow keys, ten at once with Shift, and stays in range', () => {
    render(<Field />);
    fireEvent.keyDown(field(), { key: 'ArrowUp' });
    expect(field().value).toBe('12.10');
    fireEvent.keyDown(field(), { key: 'ArrowDown', shiftKey: true });
    expect(field().value).toBe('11.10');
    for (let n = 0; n < 200; n++) fireEvent.keyDown(field(), { key: 'ArrowDown', shiftKey: true });
    expect(field().value).toBe('−50.00');
  });

  test('goes to its default by a double click on the unit', () => {
    render(<Field />);
    fireEvent.doubleClick(screen.getByText('ms'));
    expect(field().value).toBe('0.00');
  });
});
