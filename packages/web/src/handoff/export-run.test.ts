import { beforeEach, expect, jest, test } from '@jest/globals';
import { wasStopped } from '../workers/ask.ts';
import { FakeWorker } from '../testing/fake-worker.ts';
import { twoParts } from '../testing/song.fixture.ts';
import { exportStems } from './export-run.ts';

const two = twoParts();
const ids = ['hum', 'harp', 'third', 'fourth', 'fifth'];
const parts = ids.map((id) => [id, { ...two.parts.hum, id }] as const);
const song = { ...two, partOrder: ids, parts: Object.fromEntries(parts) };
const asked = () => FakeWorker.all.map(({ posted }) => (posted[0] as { stemId: string }).stemId);
const running = () => FakeWorker.all.filter(({ terminated }) => !terminated).length;
const settled = () => new Promise((resolve) => setTimeout(resolve));
const bytes = (n: number, share: number) => ({
  kind: 'progress',
  progress: { bytes: Uint8Array.of(n), share },
});

/** Exports all parts where there are so many cores. */
function begin(cores: number) {
  Object.defineProperty(navigator, 'hardwareConcurrency', { value: cores, configurable: true });
  const stop = new AbortController();
  const progress = jest.fn();
  const files = exportStems(song, song.partOrder, () => [], stop.signal, progress);
  return {
    stop,
    progress,
    outcome: files.then(
      (all) => all,
      (error: unknown) => error,
    ),
  };
}

beforeEach(() => FakeWorker.install());

test('stems are rendered side by side, and come in their order whichever is ready first', async () => {
  const { outcome, progress } = begin(2);
  expect(asked()).toEqual(song.partOrder.slice(0, 2));
  const [first, second] = FakeWorker.all;
  second.answer(bytes(7, 0.5));
  expect(progress).toHaveBeenLastCalledWith(0.1);
  second.answer({ kind: 'answer', answer: ['Cut.'] });
  await settled();
  expect(asked()).toEqual(song.partOrder.slice(0, 3));
  expect(running()).toBe(2);
  first.answer(bytes(1, 1));
  expect(progress).toHaveBeenLastCalledWith(0.3);
  first.answer({ kind: 'answer', answer: [] });
  for (let n = 2; n < 5; n++) {
    await settled();
    FakeWorker.all[n].answer({ kind: 'answer', answer: [] });
  }
  const files = (await outcome) as Awaited<ReturnType<typeof exportStems>>;
  expect(files.map(({ stemId }) => stemId)).toEqual(song.partOrder);
  expect(files.map(({ blob }) => blob.size)).toEqual([1, 1, 0, 0, 0]);
  expect(files.map(({ notes }) => notes.length)).toEqual([0, 1, 0, 0, 0]);
  expect(running()).toBe(0);
});

test('no more than four at once, however many cores there are', () => {
  begin(64);
  expect(running()).toBe(4);
});

test('where one cannot be written, the others are given up, and it is said why', async () => {
  const { outcome } = begin(3);
  FakeWorker.all[1].answer({ kind: 'failure', sentence: 'The server is gone.' });
  expect(await outcome).toEqual(new Error('The server is gone.'));
  expect(running()).toBe(0);
  expect(FakeWorker.all.length).toBe(3);
});

test('stopped, none goes on and none begins', async () => {
  const { outcome, stop } = begin(2);
  stop.abort();
  expect(wasStopped(await outcome)).toBe(true);
  expect(running()).toBe(0);
  expect(FakeWorker.all.length).toBe(2);
});
