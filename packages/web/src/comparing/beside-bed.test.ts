import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { roots } from '@pannet/core/rendering/plan';
import { notices } from '../controls/notices.ts';
import { bedRoot, type SongJob } from '../measuring/messages.ts';
import { OpenSong } from '../session/open-song.ts';
import { FakeWorker } from '../testing/fake-worker.ts';
import { measuredAs, sine } from '../testing/measured.fixture.ts';
import { twoPartsSession } from '../testing/session.fixture.ts';
import { BesideBed } from './beside-bed.ts';

let open: OpenSong;
let beside: BesideBed;

beforeEach(() => {
  open = new OpenSong(twoPartsSession(), 'harp');
  beside = new BesideBed(open.session, open.playback);
});
afterEach(() => open.close());

const asked = () => (FakeWorker.of('song.worker.ts').posted[0] as SongJob).root;
const listening = () => open.playback.store.getState().monitoring;

/** Answers with a sine at so many dB. */
async function answered(db: number | null): Promise<void> {
  const signal = sine().map((value) => (db === null ? 0 : value * 10 ** (db / 20)));
  const answer = { ...measuredAs(signal, signal, null), seconds: 1, channels: 2 };
  FakeWorker.of('song.worker.ts').answer({ kind: 'answer', answer });
  for (let n = 0; n < 8; n++) await Promise.resolve();
}

describe('the bed beside the mix', () => {
  test('is measured with it, heard alone and as loud, and back again', async () => {
    const toggled = beside.toggle();
    expect([asked(), beside.store.getState().share]).toEqual([roots.song, 0]);
    await answered(-4);
    expect(asked()).toBe(bedRoot);
    expect(listening().mixHeard).toBe(true);
    await answered(-10);
    await toggled;
    expect(beside.store.getState().matchedDb).toBeCloseTo(6, 1);
    expect(beside.store.getState().matchedTo).toBe(open.session.store.getState().song);
    expect(listening().mixHeard).toBe(false);
    expect(20 * Math.log10(listening().bedMatch)).toBeCloseTo(6, 1);
    await beside.toggle();
    expect(listening()).toMatchObject({ mixHeard: true, bedMatch: 1 });
    expect(beside.store.getState()).toMatchObject({ alone: false, matchedDb: null, share: null });
  });

  test('is stopped by a second press, and nothing has changed', async () => {
    void beside.toggle();
    const worker = FakeWorker.of('song.worker.ts');
    await beside.toggle();
    expect(worker.terminated).toBe(true);
    expect([beside.store.getState().share, listening().mixHeard]).toEqual([null, true]);
  });

  test('where one of them is silent there is nothing to be matched', async () => {
    const toggled = beside.toggle();
    await answered(-4);
    await answered(null);
    await toggled;
    expect(listening().mixHeard).toBe(true);
    expect(notices.getState().list.map(({ sentence }) => sentence)).toEqual([
      'Nothing sounds in the bed there.',
    ]);
  });

  test('what fails is said, and all is heard as before', async () => {
    const toggled = beside.toggle();
    FakeWorker.of('song.worker.ts').answer({ kind: 'failure', sentence: 'A file is gone.' });
    await toggled;
    expect(notices.getState().list).toHaveLength(1);
    expect([beside.store.getState().share, listening().mixHeard]).toEqual([null, true]);
  });
});
