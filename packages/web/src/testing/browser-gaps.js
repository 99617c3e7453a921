// What jsdom lacks and the interface uses.
import { TextDecoder, TextEncoder } from 'node:util';

Object.assign(globalThis, { TextDecoder, TextEncoder });
globalThis.ResizeObserver ??= class {
  observe() {}
  unobserve() {}
  disconnect() {}
};
globalThis.BroadcastChannel ??= class {
  static #all = new Set();
  constructor(name) {
    this.name = name;
    this.constructor.#all.add(this);
  }
  postMessage(data) {
    for (const other of this.constructor.#all)
      if (other !== this && other.name === this.name)
        queueMicrotask(() => other.onmessage?.({ data }));
  }
  close() {
    this.constructor.#all.delete(this);
  }
};
