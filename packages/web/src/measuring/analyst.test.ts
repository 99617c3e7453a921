import { afterEach, beforeEach, describe, expect, jest, test } from '@jest/globals';
import { measureStereo } from '@pannet/core/measurement/report';
import { recipes } from '@pannet/core/image/recipes';
import { apply } from '@pannet/core/song/commands';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Song } from '@pannet/core/song/song';
import { FakeWorker } from '../testing/fake-worker.ts';
import { twoParts } from '../testing/song.fixture.ts';
import { Analyst } from './analyst.ts';
import { Asked } from './asked.ts';
import type { MeasureJob } from './messages.ts';

const tone = Float32Array.from({ length: 48_000 }, (_, n) => Math.sin(n / 20) / 4);
const still = { rateHz: 0, rippleDb: 0 };
const figures = {
  ...measureStereo(tone, tone, 48_000),
  plain: { lufs: -20, foldLufs: -20, truePeakDbtp: -10, lowDb: -40 },
  plannedLeadMs: 0,
  beating: { left: still, right: still },
  motion: null,
  reductionDb: null,
};

let analyst: Analyst;

beforeEach(() => {
  jest.useFakeTimers();
  FakeWorker.install();
  analyst = new Analyst();
});
afterEach(() => {
  analyst.close();
  jest.useRealTimers();
});

const jobs = () => FakeWorker.of('measure.worker.ts').posted as MeasureJob[];
const wait = () => jest.advanceTimersByTime(200);
const answer = (message: object) =>
  FakeWorker.of('measure.worker.ts').answer({ id: jobs().at(-1)?.id, ...message });
const finish = () => answer({ kind: 'measured', measured: figures });

function changed(song: Song, edit: Edit): Song {
  const outcome = apply(song, { id: 'c', name: 'change', role: 'do', edits: [edit] });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value.song;
}

/** One that shares memory with its worker, which measures; and what that is told. */
function sharing() {
  Object.assign(globalThis, { crossOriginIsolated: true });
  const one = new Analyst();
  Reflect.deleteProperty(globalThis, 'crossOriginIsolated');
  one.update(twoParts(), 'hum', null);
  wait();
  const { id, asked } = jobs().at(-1) as MeasureJob;
  const worker = new Asked(asked as Int32Array);
  const told = () => Atomics.load(worker.shared, 1);
  expect([told(), worker.isWanted(id)]).toEqual([0, true]);
  return { one, worker, id, told };
}

describe('the analyst', () => {
  test('measuring rests as long as sound is waited for, whatever is moved meanwhile', () => {
    const { one, told } = sharing();
    one.setPlaying(true);
    one.setWaiting(true);
    jest.advanceTimersByTime(1000);
    expect(told()).toBe(1);
    one.setWaiting(false);
    expect(told()).toBe(0);
    // From a stop: the view was moved a moment before.
    one.setPlaying(false);
    one.rest();
    one.setWaiting(true);
    jest.advanceTimersByTime(1000);
    expect(told()).toBe(1);
    one.setWaiting(false);
    expect(told()).toBe(0);
    one.close();
  });

  test('measuring rests while what is seen is moved, and goes on soon after that; one that is stopped does not wait', () => {
    const { one: moving, worker, id, told } = sharing();
    for (let n = 0; n < 20; n++) {
      moving.rest();
      jest.advanceTimersByTime(100);
      expect(told()).toBe(1);
    }
    // What is seen follows the playhead: the figures come all the same.
    jest.advanceTimersByTime(100);
    moving.setPlaying(true);
    moving.rest();
    expect(told()).toBe(0);
    moving.setPlaying(false);
    moving.rest();
    // It is not wanted any more, which is seen behind the next pause.
    moving.stop();
    expect(worker.isWanted(id)).toBe(false);
    expect(told()).toBe(1);
    jest.advanceTimersByTime(200);
    expect(told()).toBe(0);
    moving.close();
  });

  test('what is stopped is not begun again until it is changed', () => {
    const song = twoParts();
    analyst.update(song, 'hum', null);
    wait();
    analyst.stop();
    answer({ kind: 'stopped' });
    expect(jobs().map((job) => job.partId)).toEqual(['hum', 'harp']);
    finish();
    wait();
    expect(jobs()).toHaveLength(2);
    const edit = { kind: 'set-stage', partId: 'hum', changes: { widthPercent: 50 } } as const;
    analyst.update(changed(song, edit), 'hum', null);
    wait();
    expect(jobs().at(-1)?.partId).toBe('hum');
  });

  test('measures the selected part first, then the others, then rests', () => {
    analyst.update(twoParts(), 'harp', null);
    wait();
    expect(jobs().map((job) => job.partId)).toEqual(['harp']);
    answer({ kind: 'progress', share: 0.5 });
    expect(analyst.store.getState().busy).toEqual({ partId: 'harp', share: 0.5 });
    finish();
    finish();
    expect(jobs().map((job) => job.partId)).toEqual(['harp', 'hum']);
    expect(analyst.store.getState().busy).toBeNull();
    expect(Object.keys(analyst.store.getState().parts).sort()).toEqual(['harp', 'hum']);
  });

  test('measures the drafts of the selected part after it, and takes up again what it knew', () => {
    const draft = { kind: 'set-draft', partId: 'hum', number: '2' } as const;
    const song = changed(twoParts(), { ...draft, image: recipes[1].image });
    analyst.update(song, 'hum', null);
    wait();
    finish();
    expect(jobs().map((job) => job.song.parts.hum.image.voices.length)).toEqual([1, 3]);
    finish();
    finish();
    expect(Object.keys(analyst.store.getState().parts).sort()).toEqual(['harp', 'hum', 'hum#2']);
    // The draft becomes the image: nothing has to be measured.
    const image = recipes[1].image;
    analyst.update(changed(song, { kind: 'set-image', partId: 'hum', image }), 'hum', null);
    wait();
    expect(jobs()).toHaveLength(3);
    expect(analyst.store.getState().parts.hum.current).toBe(true);
    analyst.update(changed(song, { ...draft, image: null }), 'hum', null);
    expect(Object.keys(analyst.store.getState().parts)).not.toContain('hum#2');
  });

  test('measures again what has changed, and only that; old figures are marked till then', () => {
    const song = twoParts();
    analyst.update(song, 'harp', null);
    wait();
    finish();
    finish();
    const louder = changed(song, {
      kind: 'set-stage',
      partId: 'harp',
      changes: { widthPercent: 50 },
    });
    analyst.update(louder, 'harp', null);
    expect(analyst.store.getState().parts.harp.current).toBe(false);
    expect(analyst.store.getState().parts.hum.current).toBe(true);
    wait();
    finish();
    expect(jobs().map((job) => job.partId)).toEqual(['harp', 'hum', 'harp']);
    expect(analyst.store.getState().parts.harp.current).toBe(true);
  });

  test('measures the selected part over the loop', () => {
    analyst.update(twoParts(), 'hum', { start: 1000, end: 50_000 });
    wait();
    finish();
    expect(jobs().map(({ partId, from, to }) => [partId, from, to])).toEqual([
      ['hum', 1000, 50_000],
      ['harp', 0, 100_000],
    ]);
  });

  test('while something plays only the selected part is measured; the others wait', () => {
    analyst.setPlaying(true);
    analyst.update(twoParts(), 'hum', null);
    wait();
    finish();
    wait();
    expect(jobs().map((job) => job.partId)).toEqual(['hum']);
    analyst.setPlaying(false);
    expect(jobs().map((job) => job.partId)).toEqual(['hum', 'harp']);
    // Playing again stops what is not selected; it is not lost, only put off.
    analyst.setPlaying(true);
    answer({ kind: 'stopped' });
    expect(jobs()).toHaveLength(2);
    analyst.setPlaying(false);
    expect(jobs().map((job) => job.partId)).toEqual(['hum', 'harp', 'harp']);
  });

  test('a title or a mute is nothing to measure', () => {
    const song = twoParts();
    analyst.update(song, 'hum', null);
    wait();
    finish();
    finish();
    const renamed = changed(song, { kind: 'set-title', title: 'Other' });
    analyst.update(
      changed(renamed, { kind: 'set-part', partId: 'hum', changes: { muted: true } }),
      'hum',
      null,
    );
    wait();
    expect(jobs()).toHaveLength(2);
  });

  test('a failure is said once and not tried over and over', () => {
    analyst.update(twoParts(), 'hum', null);
    wait();
    answer({ kind: 'failed', sentence: 'No such recording.' });
    expect(analyst.store.getState().failure).toBe('No such recording.');
    finish();
    wait();
    expect(jobs().map((job) => job.partId)).toEqual(['hum', 'harp']);
  });

  test('figures of a part that is gone go with it', () => {
    const song = twoParts();
    analyst.update(song, 'hum', null);
    wait();
    finish();
    finish();
    analyst.update(changed(song, { kind: 'remove-part', partId: 'hum' }), 'harp', null);
    expect(Object.keys(analyst.store.getState().parts)).toEqual(['harp']);
  });
});

describe('figures of before are never called current', () => {
  const narrowed = (song: Song) =>
    changed(song, { kind: 'set-stage', partId: 'hum', changes: { widthPercent: 50 } });
  const current = () => analyst.store.getState().parts.hum?.current;

  test.each([
    ['stopped', { kind: 'stopped' }],
    ['failed', { kind: 'failed', sentence: 'out of memory' }],
  ])('after what was to replace them has %s', (how, message) => {
    const song = twoParts();
    analyst.update(song, 'hum', null);
    wait();
    finish();
    finish();
    expect(current()).toBe(true);
    analyst.update(narrowed(song), 'hum', null);
    wait();
    const asked = jobs().length;
    if (how === 'stopped') analyst.stop();
    answer(message);
    expect(current()).toBe(false);
    // Not tried again by itself, and current once it is measured.
    analyst.update(narrowed(song), 'hum', null);
    wait();
    expect(jobs()).toHaveLength(asked);
    expect(analyst.store.getState().left).toEqual(['hum']);
    analyst.update(song, 'hum', null);
    wait();
    expect(current()).toBe(true);
  });

  test.each([
    ['stopped', { kind: 'stopped' }],
    ['failed', { kind: 'failed', sentence: 'out of reach' }],
  ])('what has %s is measured when it is asked for again', (how, message) => {
    const song = twoParts();
    analyst.update(song, 'hum', null);
    wait();
    if (how === 'stopped') analyst.stop();
    answer(message);
    finish();
    expect(analyst.store.getState()).toMatchObject({ left: ['hum'], busy: null });
    analyst.again();
    expect(analyst.store.getState()).toMatchObject({ left: [], failure: null });
    expect(jobs().map((job) => job.partId)).toEqual(['hum', 'harp', 'hum']);
    finish();
    expect(current()).toBe(true);
    // What was left and is changed is measured by itself, and no longer left.
    analyst.update(narrowed(song), 'hum', null);
    wait();
    analyst.stop();
    answer({ kind: 'stopped' });
    expect(analyst.store.getState().left).toEqual(['hum']);
    analyst.update(song, 'hum', null);
    expect(analyst.store.getState().left).toEqual([]);
  });

  test('a level, a rate and a pan law are of what is measured', () => {
    const song = twoParts();
    analyst.update(song, 'hum', null);
    wait();
    finish();
    finish();
    for (const edit of [
      { kind: 'set-part', partId: 'hum', changes: { levelDb: -3 } },
      { kind: 'set-pan-law', panLaw: '-6' },
    ] as const) {
      analyst.update(changed(song, edit), 'hum', null);
      expect(current()).toBe(false);
    }
    // Mute is for the ears.
    analyst.update(
      changed(song, { kind: 'set-part', partId: 'hum', changes: { muted: true } }),
      'hum',
      null,
    );
    expect(current()).toBe(true);
  });

  test('a worker that ends is said, and another one measures when it is asked for again', () => {
    analyst.update(twoParts(), 'hum', null);
    wait();
    FakeWorker.of('measure.worker.ts').onerror?.({ message: 'out of memory' });
    expect(analyst.store.getState()).toMatchObject({
      busy: null,
      failure: expect.stringMatching(/out of memory/),
    });
    const ended = FakeWorker.of('measure.worker.ts');
    expect(ended.terminated).toBe(true);
    const before = jobs().length;
    analyst.again();
    const next = FakeWorker.of('measure.worker.ts');
    expect(next).not.toBe(ended);
    expect(next.posted).toHaveLength(1);
    expect(ended.posted).toHaveLength(before);
    finish();
    expect(current()).toBe(true);
  });
});
