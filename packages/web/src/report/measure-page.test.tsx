import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { measureStereo } from '@pannet/core/measurement/report';
import { act, fireEvent, render, screen } from '@testing-library/react';
import { userEvent } from '@testing-library/user-event';
import { MemoryRouter } from 'react-router';
import { notices } from '../controls/notices.ts';
import { FakeWorker } from '../testing/fake-worker.ts';
import type { Told } from '../workers/ask.ts';
import { MeasurePage } from './MeasurePage.tsx';
import type { MeasuredFile } from '../measuring/messages.ts';

const rate = 48_000;
const sine = (hz: number, gain: number) =>
  Float32Array.from({ length: rate }, (_, n) => gain * Math.sin((2 * Math.PI * hz * n) / rate));
const silence = new Float32Array(rate);

function fileOf(left: Float32Array, right: Float32Array): MeasuredFile {
  return { ...measureStereo(left, right, rate), seconds: 1, channels: 2 };
}

beforeEach(() => {
  FakeWorker.install();
  notices.setState({ list: [] });
  render(<MeasurePage />, { wrapper: MemoryRouter });
});

const worker = () => FakeWorker.of('file.worker.ts');
const answer = (message: Told<MeasuredFile, number>) =>
  act(async () => {
    worker().answer(message);
    await Promise.resolve();
  });
const chosen = (name: string) => new File([new Uint8Array(8)], name);
const choose = (...names: string[]) =>
  userEvent.upload(screen.getByLabelText('File to measure'), names.map(chosen));
const shown = (key: string) => screen.getByTestId(`file-${key}`).textContent;

describe('a file', () => {
  test('says what can be dropped, then how far it is, then what it found', async () => {
    expect(screen.getByText(/WAV, FLAC, MP3, Ogg Vorbis and AIFF/)).toBeTruthy();
    await choose('mix.wav');
    expect((worker().posted[0] as File).name).toBe('mix.wav');
    await answer({ kind: 'progress', progress: 0.25 });
    expect(screen.getByRole('progressbar').getAttribute('aria-valuenow')).toBe('25');
    const tone = sine(1000, 0.5);
    await answer({ kind: 'answer', answer: fileOf(tone, tone) });
    expect(screen.getByTestId('file-verdict').textContent).toContain('mix.wav');
    // ITU-R BS.1770: a sine of 997 Hz at full scale on one side is −3.01 LKFS; both sides at half scale are 3 dB less.
    expect(shown('loudness')).toBe('−6.0 LUFS');
    expect(shown('truePeak')).toBe('−6.0 dBTP');
    expect(shown('drop')).toBe('0.0 LU');
    expect(screen.getByRole('region', { name: 'Findings' }).textContent).toMatch(/mono/i);
  });

  test('with one side turned over breaks, and why is said', async () => {
    await choose('turned.flac');
    await answer({ kind: 'answer', answer: fileOf(sine(440, 0.3), sine(440, -0.3)) });
    expect(screen.getByTestId('file-verdict').textContent).toContain('the fold breaks');
    expect(shown('likeness')).toContain('−1.00');
  });

  test('of silence has no figures, and falls over nothing', async () => {
    await choose('silence.wav');
    await answer({ kind: 'answer', answer: fileOf(silence, silence) });
    expect(shown('loudness')).toBe('–');
    expect(shown('drop')).toBe('–');
    expect(shown('dip')).toBe('–');
  });

  test('can be stopped, and another one begun instead', async () => {
    await choose('long.wav');
    await userEvent.click(screen.getByText('Stop'));
    expect(worker().terminated).toBe(true);
    expect(screen.getByText(/Drop a stereo file here/)).toBeTruthy();
    await choose('first.wav');
    const first = worker();
    await choose('second.wav');
    expect(first.terminated).toBe(true);
    expect(screen.getByText(/Measuring “second.wav”/)).toBeTruthy();
  });

  test('that cannot be read is said with its reason', async () => {
    await choose('notes.wav');
    await answer({ kind: 'failure', sentence: 'It is no WAV file.' });
    expect(screen.getByRole('alert').textContent).toBe(
      '“notes.wav” could not be measured: It is no WAV file.',
    );
  });

  test('is measured when it is dropped; of several only the first is, which is said', () => {
    const files = ['a.wav', 'b.wav'].map(chosen);
    const dataTransfer = { types: ['Files'], files };
    fireEvent.dragOver(screen.getByRole('main'), { dataTransfer });
    expect(screen.getByText('Drop a file to measure it')).toBeTruthy();
    fireEvent.drop(screen.getByRole('main'), { dataTransfer });
    expect((worker().posted[0] as File).name).toBe('a.wav');
    expect(notices.getState().list.at(-1)?.sentence).toBe(
      'One file is measured at a time: this is “a.wav”, the first of 2.',
    );
  });
});

afterEach(() => {
  expect(document.body.textContent).not.toMatch(/NaN|Infinity|undefined/);
});
