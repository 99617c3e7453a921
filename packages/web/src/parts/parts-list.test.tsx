import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { act, fireEvent, screen } from '@testing-library/react';
import { userEvent } from '@testing-library/user-event';
import type { OpenSong } from '../session/open-song.ts';
import { openTwoParts, showIn } from '../testing/show-song.tsx';
import { duplicatePart, placePart } from './parts-together.ts';
import { PartsList } from './PartsList.tsx';

let open: OpenSong;

beforeEach(() => {
  open = openTwoParts('harp');
});
afterEach(() => open.close());

const song = () => open.session.store.getState().song;
const show = (place: React.ReactNode) => showIn(open, place);
const newest = () => open.session.store.getState().history.undo.at(-1)?.name;

describe('the parts list', () => {
  test('selects one, several with Ctrl, a range with Shift', async () => {
    show(<PartsList onFiles={() => {}} />);
    await screen.findByTestId('part-Harp');
    fireEvent.click(screen.getByText('Hum'));
    expect(open.selection.getState().partIds).toEqual(['hum']);
    fireEvent.click(screen.getByText('Harp'), { ctrlKey: true });
    expect(open.selection.getState().partIds).toEqual(['hum', 'harp']);
    fireEvent.click(screen.getByText('Harp'), { ctrlKey: true });
    expect(open.selection.getState().partIds).toEqual(['hum']);
    fireEvent.click(screen.getByText('Harp'), { shiftKey: true });
    expect(open.selection.getState().partIds).toEqual(['hum', 'harp']);
  });

  test('solo is for the ears, mute is a step that can be undone', async () => {
    show(<PartsList onFiles={() => {}} />);
    await screen.findByTestId('part-Harp');
    await userEvent.click(screen.getByLabelText('Solo Hum'));
    expect(open.playback.store.getState().monitoring.solo).toEqual(['hum']);
    expect(open.session.store.getState().history.undo).toHaveLength(0);
    await userEvent.click(screen.getByLabelText('Mute Hum'));
    expect(song().parts.hum.muted).toBe(true);
    expect(open.session.store.getState().history.undo.at(-1)?.name).toBe('Hum: muted');
  });

  test('a press anywhere in a row that is no control selects it', async () => {
    show(<PartsList onFiles={() => {}} />);
    await screen.findByTestId('part-Harp');
    fireEvent.click(screen.getByTestId('part-Hum').querySelector('.controls') as Element);
    expect(open.selection.getState().partIds).toEqual(['hum']);
    fireEvent.click(screen.getByLabelText('Mute Harp'));
    expect(open.selection.getState().partIds).toEqual(['hum']);
  });

  test('level, mute, solo and family go to all that are selected, as one step', async () => {
    open.do('level', [{ kind: 'set-part', partId: 'hum', changes: { levelDb: -4 } }]);
    open.selection.setState({ partIds: ['hum', 'harp'] });
    show(<PartsList onFiles={() => {}} />);
    await screen.findByTestId('part-Harp');
    const level = screen.getByLabelText('Level of Harp');
    await userEvent.clear(level);
    await userEvent.type(level, '-3{Enter}');
    // Faders move by as much, so that the balance is kept.
    expect([song().parts.hum.levelDb, song().parts.harp.levelDb]).toEqual([-7, -3]);
    expect(newest()).toBe('Harp: level −3.0 dB (and 1 part more)');
    act(() => open.session.undo());
    expect([song().parts.hum.levelDb, song().parts.harp.levelDb]).toEqual([-4, 0]);
    await userEvent.click(screen.getByLabelText('Mute Hum'));
    expect([song().parts.hum.muted, song().parts.harp.muted]).toEqual([true, true]);
    await userEvent.click(screen.getByLabelText('Solo Harp'));
    expect(open.playback.store.getState().monitoring.solo).toEqual(['hum', 'harp']);
    await userEvent.click(screen.getByLabelText('Solo Hum'));
    expect(open.playback.store.getState().monitoring.solo).toEqual([]);
    await userEvent.click(screen.getByLabelText('Plucked; settings of Harp'));
    await userEvent.click(screen.getByText('Keys'));
    expect([song().parts.hum.family, song().parts.harp.family]).toEqual(['keys', 'keys']);
    // What is not selected is alone.
    act(() => open.selection.setState({ partIds: ['hum'] }));
    await userEvent.click(screen.getByLabelText('Mute Harp'));
    expect([song().parts.hum.muted, song().parts.harp.muted]).toEqual([true, false]);
  });

  test('parts are moved by keys, never beyond the ends, and duplicated with all they have', async () => {
    show(<PartsList onFiles={() => {}} />);
    await screen.findByTestId('part-Harp');
    const name = screen.getByText('Harp');
    fireEvent.keyDown(name, { key: 'ArrowUp', altKey: true });
    expect(song().partOrder).toEqual(['harp', 'hum']);
    fireEvent.keyDown(name, { key: 'ArrowUp', altKey: true });
    expect(song().partOrder).toEqual(['harp', 'hum']);
    expect(open.session.store.getState().history.undo).toHaveLength(1);
    act(() => open.session.undo());
    expect(song().partOrder).toEqual(['hum', 'harp']);
    act(() => placePart(open, 'hum', 7));
    expect(song().partOrder).toEqual(['harp', 'hum']);
    act(() => duplicatePart(open, song().parts.harp));
    const [first, second] = song().partOrder.map((id) => song().parts[id]);
    expect(second.name).toBe('Harp 2');
    expect({ ...second, id: first.id, name: first.name }).toEqual(first);
    expect(open.selection.getState().partId).toBe(second.id);
  });

  test('a long name keeps its end', async () => {
    open.do('name', [
      { kind: 'set-part', partId: 'hum', changes: { name: 'a very long take name_left' } },
    ]);
    show(<PartsList onFiles={() => {}} />);
    await screen.findByTestId('part-Harp');
    expect(screen.getByText('ame_left')).toBeTruthy();
  });
});
