import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { recipes } from '@pannet/core/image/recipes';
import type { Edit } from '@pannet/core/song/edits/edit';
import { notices } from '../controls/notices.ts';
import { Playback } from '../playback/playback.ts';
import type { SongSession } from '../sync/song-session.ts';
import { FakeWorker } from '../testing/fake-worker.ts';
import { twoPartsSession } from '../testing/session.fixture.ts';
import { Audition } from './audition.ts';
import type { LoudnessJob } from './messages.ts';

let session: SongSession;
let playback: Playback;
let audition: Audition;

beforeEach(() => {
  session = twoPartsSession();
  playback = new Playback();
  playback.setSong(session.store.getState().song);
  // There is no audio host here: what would be played is only asked for.
  playback.play = () => Promise.resolve();
  audition = new Audition(session, playback);
});
afterEach(() => {
  audition.close();
  playback.close();
  session.close();
});

const wide: Edit[] = [{ kind: 'set-image', partId: 'hum', image: recipes[2].image }];
const begin = (edits = wide, id = 'mirrored') =>
  audition.begin({ id, partId: 'hum', name: 'Hum: mirrored', edits });
const jobs = () => FakeWorker.of('loudness.worker.ts').posted as LoudnessJob[];
const answer = (lufs: readonly number[], id = jobs().at(-1)?.id) =>
  FakeWorker.of('loudness.worker.ts').answer({
    kind: 'loudness',
    id,
    levels: lufs.map((value) => ({
      lufs: Number.isFinite(value) ? value : null,
      foldLufs: Number.isFinite(value) ? value : null,
      truePeakDbtp: -20,
    })),
  });
const voices = () => session.store.getState().shown.parts.hum.image.voices.length;
const trial = () => audition.store.getState().trial;
const gain = () => playback.store.getState().monitoring.image.hum as number | undefined;

describe('what is tried', () => {
  test('is measured with and without, then heard as loud as what it would replace', () => {
    begin();
    expect(trial()).toMatchObject({ id: 'mirrored', matchedDb: null });
    expect(voices()).toBe(1);
    const [job] = jobs();
    expect(job.songs.map((song) => song.parts.hum.image.voices.length)).toEqual([1, 2]);
    expect(job).toMatchObject({ partId: 'hum', from: 0, to: 100_000 });
    answer([-20, -17]);
    expect(trial()?.matchedDb).toBeCloseTo(-3, 9);
    expect(gain()).toBeCloseTo(10 ** (-3 / 20), 9);
    expect(voices()).toBe(2);
    // Nothing is done yet.
    expect(session.store.getState().song.parts.hum.image.voices).toHaveLength(1);
  });

  test('is dropped without a trace', () => {
    begin();
    answer([-20, -17]);
    audition.drop();
    expect(trial()).toBeNull();
    expect(gain()).toBeUndefined();
    expect(voices()).toBe(1);
  });

  test('ends with whatever else is done, its being kept among it', () => {
    begin();
    answer([-20, -17]);
    session.do('Hum: mirrored', wide);
    expect(trial()).toBeNull();
    expect(gain()).toBeUndefined();
    expect(voices()).toBe(2);
    session.undo();
    expect(voices()).toBe(1);
  });

  test('is not heard any more when something was done while it was measured', () => {
    begin();
    const [{ id }] = jobs();
    session.do('title', [{ kind: 'set-title', title: 'Other' }]);
    expect(trial()).toBeNull();
    answer([-20, -17], id);
    expect(voices()).toBe(1);
    expect(gain()).toBeUndefined();
  });

  test('gives way to the next one, whose answer alone counts', () => {
    begin();
    const [{ id: first }] = jobs();
    begin([{ kind: 'set-image', partId: 'hum', image: { ...recipes[1].image } }], 'tuned-doubles');
    answer([-20, -30], first);
    expect(trial()).toMatchObject({ id: 'tuned-doubles', matchedDb: null });
    answer([-20, -19]);
    expect(trial()?.matchedDb).toBeCloseTo(-1, 9);
    expect(voices()).toBe(3);
  });

  test('of silence there is nothing to match, and no match is beyond measure', () => {
    begin();
    answer([-Infinity, -17]);
    expect(trial()?.matchedDb).toBe(0);
    begin();
    answer([-60, -10]);
    expect(trial()?.matchedDb).toBe(-18);
  });

  test('is measured over the loop', () => {
    playback.setLoop({ start: 2000, end: 9000 }, true);
    begin();
    expect(jobs()[0]).toMatchObject({ from: 2000, to: 9000 });
  });

  test('what cannot be is said, and nothing is tried', () => {
    begin([{ kind: 'set-image', partId: 'none', image: recipes[0].image }]);
    expect(trial()).toBeNull();
    expect(notices.getState().list.map(({ sentence }) => sentence)).toHaveLength(1);
    begin();
    FakeWorker.of('loudness.worker.ts').answer({
      kind: 'failed',
      id: jobs().at(-1)?.id,
      sentence: 'No such recording.',
    });
    expect(trial()).toBeNull();
    expect(notices.getState().list.at(-1)?.sentence).toBe('No such recording.');
  });
});
