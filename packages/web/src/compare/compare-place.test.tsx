import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { recipes } from '@pannet/core/image/recipes';
import type { Edit } from '@pannet/core/song/edits/edit';
import { act, render, screen, within } from '@testing-library/react';
import { userEvent } from '@testing-library/user-event';
import { measuredId } from '../measuring/analyst.ts';
import type { Measured } from '../measuring/messages.ts';
import { OpenSong } from '../session/open-song.ts';
import { OpenSongContext } from '../session/use-open-song.ts';
import { SongSession } from '../sync/song-session.ts';
import { FakeWorker } from '../testing/fake-worker.ts';
import { measuredAs, sine } from '../testing/measured.fixture.ts';
import { twoParts } from '../testing/song.fixture.ts';
import { BottomBar } from '../transport/BottomBar.tsx';
import { ComparePlace } from './ComparePlace.tsx';

let open: OpenSong;
const doing = (...edits: Edit[]) => act(() => void open.do('step', edits));

beforeEach(() => {
  FakeWorker.install();
  localStorage.clear();
  HTMLCanvasElement.prototype.getContext = () => null;
  Object.assign(globalThis, { fetch: () => new Promise(() => {}) });
  open = new OpenSong(
    new SongSession('s', { song: twoParts(), revision: 0, log: [], earlier: null, may: 'own' }),
    'harp',
  );
  open.playback.play = () => Promise.resolve();
  doing({ kind: 'set-draft', partId: 'harp', number: '1', image: recipes[0].image });
});
afterEach(() => open.close());

/** As if both had been measured. */
function know(image: Measured, draft: Measured): void {
  const measures = (measured: Measured) => ({ measured, from: 0, to: 100_000, current: true });
  const parts = { harp: measures(image), [measuredId('harp', '1')]: measures(draft) };
  act(() => open.analyst.store.setState({ parts }));
}

function show() {
  render(
    <OpenSongContext value={open}>
      <ComparePlace />
      <BottomBar drawer={false} onDrawer={() => {}} />
    </OpenSongContext>,
  );
}

/** The texts of a row: plain, the image, draft 1. */
const row = (name: string) =>
  within(screen.getByRole('row', { name: new RegExp(`^${name}`) }))
    .getAllByRole('cell')
    .map(({ textContent }) => textContent);

const both = sine();

describe('side by side', () => {
  test('waits for figures, then marks what differs from what is chosen', async () => {
    show();
    expect(row('Loudness')).toEqual(['…', '…', '…']);
    know(measuredAs(both, sine(12), -15), measuredAs(both, both, -15));
    expect(row('Loudness')).toEqual(['−15.0', '−12.0▲ 3.0', '−12.0▲ 3.0']);
    expect(row('S/M dB')).toEqual(['mono', '0.0', 'mono']);
    expect(row('S/M under 200 Hz')[2]).toBe('mono');
    expect(row('Lean')).toEqual(['0', '0', '0']);
    expect(row('Drop')).toEqual(['0.0', '3.0▲ 3.0', '0.0']);
    await userEvent.selectOptions(screen.getByLabelText('Differences against'), 'Image');
    expect(row('Drop')).toEqual(['0.0▼ 3.0', '3.0', '0.0▼ 3.0']);
  });

  test('of silence there are dashes, not numbers', () => {
    show();
    const silence = new Float32Array(48_000);
    const silent = measuredAs(silence, silence, null);
    know(silent, silent);
    for (const name of ['Loudness', 'True peak', 'Worst band of the fold', 'Colour: deepest dip'])
      expect(row(name).slice(1)).toEqual(['–', '–']);
    expect(document.body.textContent).not.toMatch(/NaN|Infinity|undefined/);
  });

  test('a state is heard by pressing it, and says so', async () => {
    show();
    const [plain, image, draft] = ['plain', 'image', '1'].map((state) =>
      within(screen.getByTestId(`state-${state}`)).getByRole('button'),
    );
    expect(image.getAttribute('aria-pressed')).toBe('true');
    await userEvent.click(plain);
    expect(open.playback.store.getState().monitoring.plain).toHaveProperty('harp');
    expect(plain.textContent).toContain('heard');
    await userEvent.click(draft);
    expect(open.playback.store.getState().monitoring.plain).toEqual({});
    expect(open.session.store.getState().song.parts.harp.image).toEqual(recipes[0].image);
  });
});

describe('what came of a blind comparison', () => {
  const comparison = {
    id: 'c1',
    at: '2026-11-25T12:00:00.000Z',
    partId: 'harp',
    first: 'image',
    second: '1',
    rounds: 10,
    firstChosen: 9,
  };

  test('is told as chance has it, and can be removed and brought back', async () => {
    show();
    expect(screen.getByText('Nothing of this part was compared blind yet.')).toBeTruthy();
    doing({ kind: 'add-comparison', index: 0, comparison });
    const result = screen.getByTestId('blind-result').textContent;
    expect(result).toContain('Image against Draft 1');
    // Binomial with p = 1/2: 9 or 10 of 10, or 1 or 0, have 2 · 11 / 1024 = 2.1 %.
    expect(result).toContain('9 of 10 rounds. Tossing a coin comes out as lopsided in 2 of 100');
    await userEvent.click(screen.getByLabelText('Remove this comparison'));
    expect(screen.queryByTestId('blind-result')).toBeNull();
    act(() => open.session.undo());
    expect(screen.getByTestId('blind-result')).toBeTruthy();
  });

  test('is of one part', () => {
    doing({ kind: 'add-comparison', index: 0, comparison: { ...comparison, partId: 'hum' } });
    show();
    expect(screen.queryByTestId('blind-result')).toBeNull();
  });
});
