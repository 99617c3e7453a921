import { Worker } from 'node:worker_threads';
import type { OnModuleDestroy } from '@nestjs/common';
import { Injectable } from '@nestjs/common';
import type { Outcome } from '@pannet/core/outcome';
import type { ReadingAnswer, ReadingRequest } from './reading.worker.ts';

/** Where this module runs from its source, as in tests, the worker is the built one. */
const workerUrl = new URL(
  import.meta.url.endsWith('.ts') ? '../../dist/songs/reading.worker.js' : './reading.worker.js',
  import.meta.url,
);

interface Waiting {
  resolve(outcome: Outcome<Uint8Array>): void;
  reject(error: Error): void;
}

/** Reads large saved documents in a thread of its own, one after the other: it takes a second for some megabytes. */
@Injectable()
export class DocumentReader implements OnModuleDestroy {
  #worker: Worker | null = null;
  readonly #waiting = new Map<number, Waiting>();
  #lastId = 0;

  /** @returns the document as this version writes it, as UTF-8 */
  read(text: string): Promise<Outcome<Uint8Array>> {
    const worker = (this.#worker ??= this.#started());
    const id = ++this.#lastId;
    return new Promise((resolve, reject) => {
      this.#waiting.set(id, { resolve, reject });
      worker.postMessage({ id, text } satisfies ReadingRequest);
    });
  }

  #started(): Worker {
    const worker = new Worker(workerUrl);
    worker.unref();
    worker.on('message', ({ id, outcome }: ReadingAnswer) => {
      this.#waiting.get(id)?.resolve(outcome);
      this.#waiting.delete(id);
    });
    let failed = new Error('The thread that reads documents has ended.');
    worker.on('error', (error) => (failed = error));
    // Whoever waits is told; the next one who asks gets a new thread.
    worker.on('exit', () => {
      if (this.#worker === worker) this.#worker = null;
      for (const { reject } of this.#waiting.values()) reject(failed);
      this.#waiting.clear();
    });
    return worker;
  }

  async onModuleDestroy(): Promise<void> {
    await this.#worker?.terminate();
  }
}
