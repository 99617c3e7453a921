import { beforeEach, describe, expect, test } from '@jest/globals';
import { FakeWorker } from '../testing/fake-worker.ts';
import { ask, question, wasStopped } from './ask.ts';

const adder = question<readonly number[], number>(
  () => new Worker(new URL('file:///adder.worker.ts')),
);
const worker = () => FakeWorker.of('adder.worker.ts');
const failed = (promise: Promise<unknown>) =>
  promise.then(
    () => 'answered',
    (error: unknown) => error,
  );

beforeEach(() => FakeWorker.install());

describe('a worker that is asked', () => {
  test('tells how far it is, answers, and ends', async () => {
    const shares: number[] = [];
    const answer = ask(adder, [1, 2], { progress: (share) => shares.push(share) });
    expect(worker().posted).toEqual([[1, 2]]);
    worker().answer({ kind: 'progress', progress: 0.5 });
    worker().answer({ kind: 'answer', answer: 3 });
    expect(await answer).toBe(3);
    expect(shares).toEqual([0.5]);
    expect(worker().terminated).toBe(true);
  });

  test('says why it has no answer, and what ended it', async () => {
    const refused = failed(ask(adder, []));
    worker().answer({ kind: 'failure', sentence: 'There is nothing to add.' });
    expect(await refused).toEqual(new Error('There is nothing to add.'));
    const broken = failed(ask(adder, []));
    worker().onerror?.({ message: 'out of memory' });
    expect(await broken).toEqual(new Error('out of memory'));
    expect(worker().terminated).toBe(true);
  });

  test('is stopped at once', async () => {
    const stop = new AbortController();
    const stopped = failed(ask(adder, [], { signal: stop.signal }));
    stop.abort();
    expect(wasStopped(await stopped)).toBe(true);
    expect(worker().terminated).toBe(true);
    expect(wasStopped(await failed(ask(adder, [], { signal: stop.signal })))).toBe(true);
  });
});
