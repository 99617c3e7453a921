// What jsdom lacks and the interface uses.
import { TextDecoder, TextEncoder } from 'node:util';
import { deserialize, serialize } from 'node:v8';

Object.assign(globalThis, { TextDecoder, TextEncoder });
globalThis.structuredClone ??= (value) => deserialize(serialize(value));
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
