import { Worker } from 'node:worker_threads';

export interface Health {
  readonly times: readonly number[];
  readonly failures: number;
}

/** How quickly the server says that it is well while something is done to it. */
export async function healthDuring(base: string, work: () => Promise<unknown>): Promise<Health> {
  const worker = new Worker(new URL('./health.worker.js', import.meta.url), {
    workerData: { base },
  });
  const found = new Promise<Health>((resolve) => worker.once('message', resolve));
  try {
    await work();
  } finally {
    worker.postMessage('over');
  }
  return found;
}
