import { expect, test } from '@jest/globals';
import { Worker } from 'node:worker_threads';
import { Asked } from './asked.ts';

test('what is to rest waits, no longer than it may, and goes on when it is told to', async () => {
  const page = new Asked();
  const job = new Asked(page.shared);
  page.want(7);
  expect([job.isWanted(7), job.isWanted(8)]).toEqual([true, false]);
  page.rest(true);
  const begun = performance.now();
  job.pause(60);
  expect(performance.now() - begun).toBeGreaterThan(50);
  // In a thread of its own, which waits for good.
  const waiting = new Worker(
    `const { workerData, parentPort } = require('node:worker_threads');
     parentPort.postMessage(Atomics.wait(workerData, 1, 1));`,
    { eval: true, workerData: page.shared },
  );
  const ended = new Promise((resolve) => waiting.once('message', resolve));
  await new Promise((resolve) => waiting.once('online', resolve));
  page.rest(false);
  expect(['ok', 'not-equal']).toContain(await ended);
  job.pause(60_000);
});
