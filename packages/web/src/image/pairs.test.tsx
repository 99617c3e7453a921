import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { act, fireEvent, screen } from '@testing-library/react';
import { userEvent } from '@testing-library/user-event';
import type { OpenSong } from '../session/open-song.ts';
import { useSelectedPart } from '../session/use-open-song.ts';
import { openTwoParts, showIn } from '../testing/show-song.tsx';
import { VoiceTable } from './VoiceTable.tsx';

let open: OpenSong;

beforeEach(() => {
  open = openTwoParts('hum');
});
afterEach(() => open.close());

const voices = () => open.session.store.getState().song.parts.hum.image.voices;
const cents = () => voices().map(({ tuner }) => tuner.cents);
const places = () =>
  voices().map(({ placement }) => (placement.kind === 'pan' ? placement.panPercent : null));
const delays = () => voices().map(({ delay }) => delay.value);

function Table() {
  const part = useSelectedPart();
  return part ? <VoiceTable part={part} /> : null;
}

async function type(label: string, value: string): Promise<void> {
  const field = screen.getByLabelText(label);
  await userEvent.clear(field);
  await userEvent.type(field, `${value}{Enter}`);
}

describe('a pair', () => {
  test('is one press, and edited as mirror images until it is let go', async () => {
    showIn(open, <Table />);
    await userEvent.click(screen.getByLabelText('Add a pair'));
    expect(voices().map(({ name }) => name)).toEqual(['centre', 'left', 'right']);
    expect(places()).toEqual([0, -100, 100]);
    expect(open.session.store.getState().history.undo).toHaveLength(1);
    await type('Tuning of left', '-6');
    expect(cents()).toEqual([0, -6, 6]);
    await type('Position of right', '70');
    expect(places()).toEqual([0, -70, 70]);
    // Each its own delay, unless that is wanted.
    await type('Delay of left', '9');
    expect(delays()).toEqual([0, 9, 0]);
    await userEvent.click(screen.getByLabelText('delays alike'));
    await type('Delay of right', '12');
    expect(delays()).toEqual([0, 12, 12]);
    await type('Level of left', '-4');
    expect(voices().map(({ levelDb }) => levelDb)).toEqual([0, -4, -4]);
    await userEvent.click(screen.getByText('Let go'));
    await type('Tuning of left', '3');
    expect(cents()).toEqual([0, 3, 6]);
  });

  test('takes usual figures at one press, and is added with them where none is selected', async () => {
    showIn(open, <Table />);
    const figures = screen.getByLabelText('Usual figures of a pair');
    await userEvent.selectOptions(figures, '5 c · 9 / 18 ms');
    expect([cents(), delays()]).toEqual([
      [0, -5, 5],
      [0, 9, 18],
    ]);
    await userEvent.selectOptions(figures, '12 c · 0 / 25 ms');
    expect([cents(), delays()]).toEqual([
      [0, -12, 12],
      [0, 0, 25],
    ]);
    await userEvent.selectOptions(figures, '100 / 149 ms');
    expect([cents(), delays()]).toEqual([
      [0, 0, 0],
      [0, 100, 149],
    ]);
  });

  test('is no more once one of it is gone', async () => {
    showIn(open, <Table />);
    await userEvent.click(screen.getByLabelText('Add a pair'));
    await userEvent.click(screen.getByLabelText('Remove right'));
    expect(open.pairOf('hum', 'v2')).toBeNull();
    await type('Tuning of left', '5');
    expect(cents()).toEqual([0, 5]);
  });
});

test('a voice is copied to the other side; what stands in the middle is not', async () => {
  showIn(open, <Table />);
  await userEvent.click(screen.getByLabelText('Add a pair'));
  await userEvent.click(screen.getByLabelText('Remove right'));
  await type('Tuning of left', '-8');
  await userEvent.click(screen.getByLabelText('Copy left to the other side'));
  expect(voices().map(({ name }) => name)).toEqual(['centre', 'left', 'right']);
  expect(cents()).toEqual([0, -8, 8]);
  expect(screen.getByLabelText<HTMLButtonElement>('Copy centre to the other side').disabled).toBe(
    true,
  );
});

test('a plain press on one of several selects it alone; in its fields all of them are set', async () => {
  showIn(open, <Table />);
  await userEvent.click(screen.getByLabelText('Add voice'));
  await userEvent.click(screen.getByLabelText('Add voice'));
  act(() => open.selectVoice('v1'));
  act(() => open.selectVoice('v2', true));
  const row = screen.getByLabelText('Name of centre').closest('tr') as HTMLElement;
  fireEvent.pointerDown(screen.getByLabelText('Level of centre'));
  expect(open.selection.getState().voiceIds).toEqual(['v1', 'v2']);
  fireEvent.pointerDown(row);
  expect(open.selection.getState().voiceIds).toEqual(['v1']);
});
