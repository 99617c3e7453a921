/** Stands in for a worker: what is posted is kept, and answers are given by the test. */
export class FakeWorker {
  static readonly all: FakeWorker[] = [];
  onmessage: ((event: { data: unknown }) => void) | null = null;
  onerror: ((event: unknown) => void) | null = null;
  readonly posted: unknown[] = [];
  readonly name: string;
  terminated = false;

  constructor(url: URL) {
    this.name = url.pathname.split('/').at(-1) ?? '';
    FakeWorker.all.push(this);
  }

  static install(): void {
    FakeWorker.all.length = 0;
    Object.assign(globalThis, { Worker: FakeWorker });
  }

  /** The newest one that runs this file. */
  static of(name: string): FakeWorker {
    const found = FakeWorker.all.findLast((worker) => worker.name === name);
    if (!found) throw new Error(`No worker runs ${name}.`);
    return found;
  }

  postMessage(message: unknown): void {
    this.posted.push(message);
  }

  terminate(): void {
    this.terminated = true;
  }

  answer(data: unknown): void {
    this.onmessage?.({ data });
  }
}
