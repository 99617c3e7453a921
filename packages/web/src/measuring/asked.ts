/** What a measurement is told while it runs: which one is wanted, and whether it is to rest. Shared with its worker. */
export class Asked {
  readonly shared: Int32Array;

  constructor(shared: Int32Array = new Int32Array(new SharedArrayBuffer(8))) {
    this.shared = shared;
  }

  /** @param id of the job that is wanted; 0 stops the one that runs */
  want(id: number): void {
    Atomics.store(this.shared, 0, id);
    // One that rests must hear of it.
    Atomics.notify(this.shared, 1);
  }

  isWanted(id: number): boolean {
    return Atomics.load(this.shared, 0) === id;
  }

  rest(on: boolean): void {
    Atomics.store(this.shared, 1, on ? 1 : 0);
    if (!on) Atomics.notify(this.shared, 1);
  }

  /** In the worker: waits as long as it is to rest, but no longer than so many ms at once, should the page have gone to sleep. */
  pause(mostMs: number): void {
    Atomics.wait(this.shared, 1, 1, mostMs);
  }
}
