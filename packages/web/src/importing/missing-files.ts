import { windowStorage } from '../sync/browser-storage.ts';

/** Names of files that have not come whole: the files themselves do not survive a reload, their names do. */
export class MissingFiles {
  readonly #key: string;
  readonly #names: string[] = [];

  constructor(songId: string) {
    this.#key = `pannet.importing.${songId}`;
  }

  /** What had not come when the page was loaded anew; told once. */
  ofLastVisit(): readonly string[] {
    let names: unknown = null;
    try {
      names = JSON.parse(windowStorage.read(this.#key) ?? 'null');
    } catch {
      // Nothing that can be said.
    }
    windowStorage.drop(this.#key);
    return Array.isArray(names) ? names.map(String) : [];
  }

  add(fileName: string): void {
    this.#names.push(fileName);
    this.#keep();
  }

  remove(fileName: string): void {
    const at = this.#names.indexOf(fileName);
    if (at >= 0) this.#names.splice(at, 1);
    this.#keep();
  }

  #keep(): void {
    if (this.#names.length === 0) windowStorage.drop(this.#key);
    else windowStorage.keep(this.#key, JSON.stringify(this.#names));
  }
}
