/** @jest-environment jsdom */
import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { feedOf } from '@pannet/core/rooms/feeds';
import { newRoom } from '@pannet/core/rooms/room';
import { isFrozen, roomKey } from '@pannet/core/song/frozen';
import type { Recording } from '@pannet/core/song/song';
import { act, fireEvent, screen, waitFor } from '@testing-library/react';
import { NoticeBoard } from '../controls/NoticeBoard.tsx';
import type { ToFeeder } from '../playback/messages.ts';
import type { OpenSong } from '../session/open-song.ts';
import { FakeWorker } from '../testing/fake-worker.ts';
import { openTwoParts, showIn } from '../testing/show-song.tsx';
import { Dropouts } from './Dropouts.tsx';
import { Freezing, FrozenMark } from './Freezing.tsx';

let open: OpenSong;
const song = () => open.session.store.getState().song;
const room = () => song().rooms[0];
const hash = 'ab'.repeat(32);

function Shown() {
  return (
    <>
      <FrozenMark thing={room()} />
      <Freezing thing={room()} />
      <NoticeBoard />
    </>
  );
}

beforeEach(() => {
  open = openTwoParts('harp');
  open.do('a room', [
    { kind: 'set-rooms', rooms: [newRoom('r', 'Hall', { feeds: [feedOf('harp')] })] },
  ]);
});
afterEach(() => open.close());

/** Frozen, without the way there. */
const keepFrozen = () => {
  const [known] = Object.values(song().recordings);
  const recording: Recording = { ...known, hash, fileName: 'Hall_frozen.wav', channels: 2 };
  open.do('frozen', [
    { kind: 'put-recording', recording },
    {
      kind: 'set-rooms',
      rooms: [
        {
          ...room(),
          frozen: { recording: hash, key: roomKey(song(), room()), levelDb: room().levelDb },
        },
      ],
    },
  ]);
};

describe('freezing a room', () => {
  const worker = () => FakeWorker.of('freeze.worker.ts');

  test('shows how far it is, is stopped, and says why it could not be', async () => {
    showIn(open, <Shown />);
    fireEvent.click(screen.getByRole('button', { name: 'Freeze' }));
    act(() =>
      worker().answer({ kind: 'progress', progress: { bytes: new Uint8Array(44), share: 0.5 } }),
    );
    expect(
      screen.getByRole('progressbar', { name: 'Freezing Hall' }).getAttribute('aria-valuenow'),
    ).toBe('40');
    fireEvent.click(screen.getByRole('button', { name: 'Stop' }));
    await waitFor(() => expect(screen.getByRole('button', { name: 'Freeze' })).toBeTruthy());
    expect(worker().terminated).toBe(true);
    expect(room().frozen).toBeNull();
    fireEvent.click(screen.getByRole('button', { name: 'Freeze' }));
    act(() => worker().answer({ kind: 'failure', sentence: 'A file is gone.' }));
    expect(await screen.findByText('“Hall” could not be frozen: A file is gone.')).toBeTruthy();
    expect(room().frozen).toBeNull();
  });

  test('ends with the song', () => {
    showIn(open, <Shown />);
    fireEvent.click(screen.getByRole('button', { name: 'Freeze' }));
    const begun = worker();
    act(() => open.close());
    expect(begun.terminated).toBe(true);
  });

  test('of what nothing feeds is none', () => {
    open.do('none', [{ kind: 'set-rooms', rooms: [{ ...room(), feeds: [] }] }]);
    showIn(open, <Shown />);
    fireEvent.click(screen.getByRole('button', { name: 'Freeze' }));
    expect(screen.getByText(/Nothing feeds “Hall”/)).toBeTruthy();
  });

  test('is said, also that it is changed; thawed its recording goes, in one step', () => {
    keepFrozen();
    showIn(open, <Shown />);
    expect(screen.getByTestId('frozen-Hall').textContent).toBe('· frozen');
    expect(screen.queryByRole('button', { name: /^Freeze/ })).toBeNull();
    act(
      () =>
        void open.do('louder', [{ kind: 'set-part', partId: 'harp', changes: { levelDb: -3 } }]),
    );
    expect(screen.getByTestId('frozen-Hall').textContent).toBe('· changed since it was frozen');
    expect(screen.getByRole('button', { name: 'Freeze again' })).toBeTruthy();
    act(() => open.session.undo());
    expect(isFrozen(song(), room())).toBe(true);
    fireEvent.click(screen.getByRole('button', { name: 'Ring live' }));
    expect(room().frozen).toBeNull();
    expect(song().recordings[hash]).toBeUndefined();
    act(() => open.session.undo());
    expect(isFrozen(song(), room())).toBe(true);
  });

  test('is read while all of it is listened to, and rings live while something is heard alone', () => {
    keepFrozen();
    const told = () =>
      (FakeWorker.of('feeder.worker.ts').posted as ToFeeder[]).flatMap((message) =>
        message.kind === 'sources'
          ? [
              ...message.added.filter(({ key }) => key.startsWith(hash)).map(() => 'read'),
              ...message.dropped.filter((key) => key.startsWith(hash)).map(() => 'left'),
            ]
          : [],
      );
    expect(told()).toEqual(['read', 'read']);
    open.playback.listen({ solo: ['hum'] });
    expect(told()).toEqual(['read', 'read', 'left', 'left']);
    open.playback.listen({ solo: [] });
    open.playback.soloVoice('harp', song().parts.harp.image.voices[0].id);
    expect(told().slice(4)).toEqual(['read', 'read', 'left', 'left']);
    // What predictions and figures speak of is the song.
    expect(open.playback.plan?.nodes.some(({ kind }) => kind === 'room')).toBe(false);
  });
});

test('beside dropouts it is said what costs most, and a press freezes it', async () => {
  open.playback.store.setState({ underruns: 3 });
  showIn(open, <Dropouts />);
  act(() => void fireEvent.click(screen.getByRole('button', { name: '3 dropouts' })));
  // The hall, and then the two tuned voices; what is plain is not offered.
  const named = () => screen.getAllByRole('listitem').map(({ textContent }) => textContent);
  expect(named()).toEqual(['HallFreeze', 'HarpFreeze']);
  act(() => void fireEvent.click(screen.getAllByRole('button', { name: 'Freeze' })[0]));
  await waitFor(() => expect(screen.getByLabelText('Freezing Hall')).toBeTruthy());
  act(keepFrozen);
  expect(named()).toEqual(['HarpFreeze']);
});
