import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import type { Mend } from '@pannet/core/findings/find-mend';
import type { Setting } from '@pannet/core/findings/safer';
import { allMayChange } from '@pannet/core/findings/variations';
import { recipes } from '@pannet/core/image/recipes';
import { notices } from '../controls/notices.ts';
import { OpenSong } from '../session/open-song.ts';
import { FakeWorker } from '../testing/fake-worker.ts';
import { twoPartsSession } from '../testing/session.fixture.ts';
import { liveTexts } from '../fold/LiveFigures.tsx';
import { mendId } from './mender.ts';
import type { Mended, ToMender } from './messages.ts';
import type { Search } from '@pannet/core/findings/safer';
import type { Told } from '../workers/ask.ts';

let open: OpenSong;

beforeEach(() => {
  open = new OpenSong(twoPartsSession(), 'harp');
  open.playback.play = () => Promise.resolve();
});
afterEach(() => open.close());

const harp = () => open.session.store.getState().song.parts.harp;
const state = () => open.mender.store.getState();
const worker = () => FakeWorker.of('mender.worker.ts');
/** What the worker says, and that it is heard. */
async function told(message: Told<Mended, number | Search>): Promise<void> {
  worker().answer(message);
  for (let n = 0; n < 5; n++) await Promise.resolve();
}
const id = mendId('harp', 'hollow');
const mend: Mend = {
  code: 'hollow',
  image: recipes[2].image,
  moves: [],
  words: 'difference: mirrored',
  before: 9,
  after: 1,
  widthBeforeDb: 0,
  widthAfterDb: -0.4,
  verdict: 'holds',
  gone: true,
  onlyHere: false,
};

describe('a mend', () => {
  test('is looked for with progress, then tried; the same one is not looked for again', async () => {
    open.mender.try(harp(), 'hollow', 1);
    expect(worker().posted[0] as ToMender).toMatchObject({
      kind: 'mend',
      code: 'hollow',
      partId: 'harp',
      from: 0,
      to: 100_000,
    });
    worker().answer({ kind: 'progress', progress: 0.4 });
    expect(state().busy).toEqual({ code: 'hollow', share: 0.4 });
    await told({ kind: 'answer', answer: { mend } });
    expect(state().busy).toBeNull();
    expect(state().found[id]).toMatchObject({ mend, from: 0, to: 100_000 });
    expect(worker().terminated).toBe(true);
    expect(open.audition.store.getState().trial).toMatchObject({
      id,
      name: 'Harp: difference: mirrored',
    });
    open.audition.drop();
    const before = FakeWorker.all.length;
    open.mender.try(harp(), 'hollow', 1);
    expect(FakeWorker.all).toHaveLength(before);
    expect(open.audition.store.getState().trial?.id).toBe(id);
  });

  test('of a part that was changed meanwhile is not played over the change', async () => {
    open.mender.try(harp(), 'hollow', 1);
    open.do('louder', [
      { kind: 'set-voice', partId: 'harp', voiceId: 'v2', changes: { levelDb: -2 } },
    ]);
    await told({ kind: 'answer', answer: { mend } });
    expect(open.audition.store.getState().trial).toBeNull();
    expect(harp().image.voices[1].levelDb).toBe(-2);
    // Once the change is taken back the mend fits again, and is not looked for anew.
    open.session.undo();
    const before = FakeWorker.all.length;
    open.mender.try(harp(), 'hollow', 1);
    expect(FakeWorker.all).toHaveLength(before);
    expect(open.audition.store.getState().trial?.id).toBe(id);
  });

  test('that is tried gives way to plain', async () => {
    open.mender.try(harp(), 'hollow', 1);
    await told({ kind: 'answer', answer: { mend } });
    expect(open.audition.store.getState().trial?.id).toBe(id);
    open.togglePlain();
    expect(open.audition.store.getState().trial).toBeNull();
    expect(open.playback.store.getState().monitoring.plain).toHaveProperty('harp');
  });

  test('is looked for no longer when another part is turned to', () => {
    open.mender.try(harp(), 'hollow', 1);
    open.selection.setState({ partId: 'hum', partIds: ['hum'] });
    expect(worker().terminated).toBe(true);
    expect(state().busy).toBeNull();
  });

  test('where there is none, that is kept; what fails is said; stopping ends the worker', async () => {
    open.mender.try(harp(), 'hollow', 1);
    await told({ kind: 'answer', answer: { mend: null } });
    expect(state().found[id].mend).toBeNull();
    expect(open.audition.store.getState().trial).toBeNull();
    open.mender.try(harp(), 'leads', 1);
    await told({ kind: 'failure', sentence: 'No such recording.' });
    expect(notices.getState().list.at(-1)?.sentence).toBe('No such recording.');
    open.mender.try(harp(), 'leans', 1);
    open.mender.stopLooking();
    expect(worker().terminated).toBe(true);
    expect(state().busy).toBeNull();
  });

  test('is measured over the loop where one plays', () => {
    open.playback.setLoop({ start: 3000, end: 60_000 }, true);
    open.mender.try(harp(), 'hollow', 1);
    expect(worker().posted[0]).toMatchObject({ from: 3000, to: 60_000 });
  });
});

describe('a search', () => {
  const setting = { words: 'as it is', sideToMidDb: -3 } as unknown as Setting;

  test('grows as it goes on, and what was tried stays when it is stopped', () => {
    open.mender.search(harp(), allMayChange, 0);
    const search = { begun: setting, tried: [setting], best: setting, share: 0.3 };
    worker().answer({ kind: 'progress', progress: search });
    expect(state().search).toMatchObject({ share: 0.3, running: true, partId: 'harp' });
    open.mender.stopSearch();
    expect(worker().terminated).toBe(true);
    expect(state().search).toMatchObject({ running: false, tried: [setting] });
  });

  test('ends by itself', async () => {
    open.mender.search(harp(), allMayChange, 0);
    const search = { begun: setting, tried: [], best: setting, share: 1 };
    worker().answer({ kind: 'progress', progress: search });
    await told({ kind: 'answer', answer: { mend: null } });
    expect(state().search?.running).toBe(false);
    expect(worker().terminated).toBe(true);
  });
});

describe('live figures', () => {
  test.each<[number, number, number, string[]]>([
    [1, 1, 1, ['−60', '+1.00', '0.0', '0.0']],
    [1, 1, 0, ['0', '0.00', '−3.0', '0.0']],
    [1, 1, -1, ['+60', '−1.00', '−60.0', '0.0']],
    [2, 1, 0, ['0', '0.00', '−3.0', 'L 3.0']],
    [1, 0, 0, ['0', '–', '−3.0', '–']],
    [0, 0, 0, ['–', '–', '–', '–']],
  ])('of %f, %f and %f', (left, right, cross, texts) => {
    expect(liveTexts(left, right, cross)).toEqual(texts);
  });
});
