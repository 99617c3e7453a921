/**
 * Text that survives a killed browser. `localStorage` is written to disk some seconds later; a strict transaction of IndexedDB
 * has ended only when it is there. Source: Indexed Database API 3.0, “durability hint”.
 */
const databaseName = 'pannet';
const storeName = 'unsent';

export class DurableStore {
  #opened: Promise<IDBDatabase> | undefined;
  /** What is to be written next, by key; null for what is to be removed. The newest stands for all before it. */
  #waiting = new Map<string, string | null>();
  /** The write that will take what waits, once the one before it has ended. */
  #next: Promise<boolean> | null = null;
  #last: Promise<unknown> = Promise.resolve();

  /** @returns whether it is on the disk now */
  keep(key: string, text: string): Promise<boolean> {
    return this.#put(key, text);
  }

  drop(key: string): Promise<boolean> {
    return this.#put(key, null);
  }

  /** All that is kept under keys with this beginning; nothing where the browser has no such store. */
  async entries(prefix: string): Promise<Map<string, string>> {
    await this.#last;
    try {
      const database = await this.#database();
      const store = database.transaction(storeName, 'readonly').objectStore(storeName);
      const range = IDBKeyRange.bound(prefix, `${prefix}\uffff`);
      const [keys, texts] = await Promise.all([
        answered(store.getAllKeys(range)),
        answered(store.getAll(range) as IDBRequest<string[]>),
      ]);
      return new Map(keys.map((key, n) => [String(key), texts[n]]));
    } catch {
      return new Map();
    }
  }

  #put(key: string, text: string | null): Promise<boolean> {
    this.#waiting.set(key, text);
    if (!this.#next) {
      this.#next = this.#last.then(() => this.#write());
      this.#last = this.#next;
    }
    return this.#next;
  }

  async #write(): Promise<boolean> {
    const writes = this.#waiting;
    this.#waiting = new Map();
    this.#next = null;
    try {
      const database = await this.#database();
      const transaction = database.transaction(storeName, 'readwrite', { durability: 'strict' });
      const store = transaction.objectStore(storeName);
      for (const [key, text] of writes)
        if (text === null) store.delete(key);
        else store.put(text, key);
      await new Promise<void>((resolve, reject) => {
        transaction.oncomplete = () => resolve();
        transaction.onabort = transaction.onerror = () => reject(new Error('It was not written.'));
      });
      return true;
    } catch {
      return false;
    }
  }

  #database(): Promise<IDBDatabase> {
    this.#opened ??= new Promise<IDBDatabase>((resolve, reject) => {
      const opening = indexedDB.open(databaseName, 1);
      opening.onupgradeneeded = () => opening.result.createObjectStore(storeName);
      opening.onsuccess = () => resolve(opening.result);
      opening.onerror = opening.onblocked = () => reject(new Error('There is no such store.'));
    });
    // What failed once may work when it is tried again.
    this.#opened.catch(() => (this.#opened = undefined));
    return this.#opened;
  }
}

function answered<Result>(asked: IDBRequest<Result>): Promise<Result> {
  return new Promise((resolve, reject) => {
    asked.onsuccess = () => resolve(asked.result);
    asked.onerror = () => reject(asked.error ?? new Error('It was not read.'));
  });
}

export const durableStore = new DurableStore();
