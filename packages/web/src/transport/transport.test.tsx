import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { act, render, screen, waitFor, within } from '@testing-library/react';
import { userEvent } from '@testing-library/user-event';
import { notices } from '../controls/notices.ts';
import { OpenSong } from '../session/open-song.ts';
import { OpenSongContext } from '../session/use-open-song.ts';
import { SongSession } from '../sync/song-session.ts';
import { FakeWorker } from '../testing/fake-worker.ts';
import { measuredAs, sine } from '../testing/measured.fixture.ts';
import { twoParts } from '../testing/song.fixture.ts';
import { BottomBar } from './BottomBar.tsx';
import { PlainOrImage } from './Comparison.tsx';
import { Hear } from './Hear.tsx';
import { Output } from './Output.tsx';
import '../testing/patience.ts';

let open: OpenSong;
const monitoring = () => open.playback.store.getState().monitoring;
const decibels = (gain: number) => 20 * Math.log10(gain);

function show(control: React.ReactNode) {
  render(<OpenSongContext value={open}>{control}</OpenSongContext>);
}

/** Stands in for the browser's own, which jsdom lacks. */
class AudioHost {
  setSinkId(): Promise<void> {
    return Promise.resolve();
  }
}

class SilentHost {}

function devices(...found: Partial<MediaDeviceInfo>[]): void {
  const media = {
    enumerateDevices: () => Promise.resolve(found as MediaDeviceInfo[]),
    addEventListener: () => {},
    removeEventListener: () => {},
  };
  Object.defineProperty(navigator, 'mediaDevices', { value: media, configurable: true });
}

beforeEach(() => {
  FakeWorker.install();
  localStorage.clear();
  notices.setState({ list: [] });
  Object.assign(globalThis, { fetch: () => new Promise(() => {}), AudioContext: AudioHost });
  open = new OpenSong(
    new SongSession('s', { song: twoParts(), revision: 0, log: [], earlier: null, may: 'own' }),
    'harp',
  );
});
afterEach(() => open.close());

describe('the output', () => {
  test('is dimmed by 20 dB and comes back', async () => {
    show(<Output />);
    const dim = screen.getByText('Dim');
    await userEvent.click(dim);
    expect(dim.getAttribute('aria-pressed')).toBe('true');
    expect(decibels(monitoring().level)).toBeCloseTo(-20, 9);
    await userEvent.click(dim);
    expect(monitoring().level).toBe(1);
  });

  test('is set in decibels, on top of being dimmed; at the bottom it is silent', () => {
    show(<Output />);
    act(() => open.playback.setOutput({ levelDb: -6 }));
    expect(screen.getByLabelText('Output, −6 dB')).toBeTruthy();
    act(() => open.playback.setOutput({ dimmed: true }));
    expect(decibels(monitoring().level)).toBeCloseTo(-26, 9);
    act(() => open.playback.setOutput({ levelDb: -60 }));
    expect(monitoring().level).toBe(0);
  });

  test('goes to a device of those that there are', async () => {
    devices(
      { deviceId: 'default', kind: 'audiooutput', label: 'Default' },
      { deviceId: 'mic', kind: 'audioinput', label: 'A microphone' },
      { deviceId: 'desk', kind: 'audiooutput', label: 'Desk' },
      { deviceId: 'room', kind: 'audiooutput', label: '' },
    );
    show(<Output />);
    await userEvent.click(screen.getByLabelText('Output, 0 dB'));
    const choice = await screen.findByLabelText<HTMLSelectElement>('Output device');
    await waitFor(() =>
      expect([...choice.options].map(({ text }) => text)).toEqual([
        "the browser's own",
        'Desk',
        'device 2',
      ]),
    );
    await userEvent.selectOptions(choice, 'Desk');
    await waitFor(() => expect(open.playback.store.getState().output.deviceId).toBe('desk'));
  });

  test('stays where it is if the device is gone, and says so', async () => {
    devices({ deviceId: 'desk', kind: 'audiooutput', label: 'Desk' });
    open.playback.setDevice = () => Promise.reject(new Error('It is gone.'));
    show(<Output />);
    await userEvent.click(screen.getByLabelText('Output, 0 dB'));
    const choice = await screen.findByLabelText<HTMLSelectElement>('Output device');
    await userEvent.selectOptions(choice, await screen.findByText('Desk'));
    await waitFor(() =>
      expect(notices.getState().list.at(-1)?.sentence).toBe(
        'The output device could not be taken: It is gone.',
      ),
    );
    expect(choice.value).toBe('');
  });

  test('is the browser’s choice where that offers none', async () => {
    Object.assign(globalThis, { AudioContext: SilentHost });
    show(<Output />);
    await userEvent.click(screen.getByLabelText('Output, 0 dB'));
    expect(screen.getByText('This browser chooses the output device itself.')).toBeTruthy();
  });
});

test('what is heard at times stands behind “more”, and is named while it is heard', async () => {
  show(<Hear />);
  for (const [name, listening] of [
    ['Swapped', 'swapped'],
    ['Phone', 'phone'],
    ['Headphones', 'headphones'],
  ] as const) {
    await userEvent.click(screen.getByRole('button', { name: /^Hear/ }));
    await userEvent.click(screen.getByRole('button', { name: new RegExp(`^${name} `) }));
    expect(monitoring().listening).toBe(listening);
    expect(screen.getByLabelText(`Hear: ${name}`).getAttribute('aria-pressed')).toBe('true');
  }
  await userEvent.click(screen.getByText('Stereo'));
  expect(screen.getByLabelText('Hear in other ways').getAttribute('aria-pressed')).toBe('false');
});

describe('equal loudness', () => {
  test('says how it is matched, and takes the middle instead', async () => {
    show(<PlainOrImage />);
    await userEvent.click(screen.getByText(/measuring …/));
    const how = within(screen.getByRole('group', { name: 'Equal in' }));
    await userEvent.click(how.getByText('the middle'));
    expect(open.comparing.store.getState().mode).toBe('middle');
    expect(screen.getByText(/as loud as the image in the fold/)).toBeTruthy();
  });

  test('plain can be one of the voices, as a step with a name', async () => {
    show(<PlainOrImage />);
    await userEvent.click(screen.getByText(/measuring …/));
    await userEvent.selectOptions(screen.getByLabelText('Plain is'), '“anchor” in the middle');
    const { song, history } = open.session.store.getState();
    expect(song.parts.harp.plainVoice).toBe(song.parts.harp.image.voices[0].id);
    expect(history.undo.at(-1)?.name).toBe('Harp: plain is “anchor”');
    act(() => open.session.undo());
    expect(screen.getByLabelText<HTMLSelectElement>('Plain is').value).toBe('');
  });

  test('is held once it was compared, until it is let go', async () => {
    open.analyst.store.setState({
      parts: {
        harp: { measured: measuredAs(sine(), sine(), -15), from: 0, to: 100_000, current: true },
      },
    });
    show(<PlainOrImage />);
    await userEvent.click(screen.getByText('Plain'));
    // 1 kHz at −12 dB on both sides is −12 LUFS: plain has 3 LU to make up for.
    expect(decibels(monitoring().plain.harp)).toBeCloseTo(3, 1);
    await userEvent.click(screen.getByText('matched +3.0 LU ▴'));
    expect(screen.getByText(/The level of when the comparison began is held/)).toBeTruthy();
    await userEvent.click(screen.getByText('Let go'));
    expect(open.comparing.store.getState().held).toEqual({});
  });
});

describe('the loop', () => {
  const loop = () => open.playback.store.getState().loop;
  const type = async (label: string, text: string) => {
    const field = screen.getByLabelText(label);
    await userEvent.clear(field);
    await userEvent.type(field, `${text}{Enter}`);
  };

  test('is typed, nudged by keys to a sample, and never turned inside out', async () => {
    show(<BottomBar drawer={false} onDrawer={() => {}} />);
    await userEvent.click(screen.getByTitle(/Place in the song/));
    await type('Loop from', '0.5');
    await type('Loop to', '0:01.25');
    expect(loop()).toEqual({ start: 24_000, end: 60_000 });
    expect(open.playback.store.getState().looping).toBe(true);
    const from = screen.getByLabelText('Loop from');
    from.focus();
    await userEvent.keyboard('{ArrowUp}');
    expect(loop()).toEqual({ start: 28_800, end: 60_000 });
    await userEvent.keyboard('{Alt>}{ArrowDown}{/Alt}');
    expect(loop()).toEqual({ start: 28_799, end: 60_000 });
    // Beyond its other end both change places.
    await type('Loop from', '1.5');
    expect(loop()).toEqual({ start: 60_000, end: 72_000 });
    await type('Loop to', 'soon');
    expect(loop()).toEqual({ start: 60_000, end: 72_000 });
    expect(notices.getState().list.at(-1)?.sentence).toMatch(/“soon” is none/);
    await type('Playhead', '1,25');
    expect(open.playback.store.getState().frame).toBe(60_000);
  });
});
