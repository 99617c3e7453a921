import { createStore } from 'zustand/vanilla';
import { sentenceOf } from '../api/request.ts';
import type { OpenSong } from '../session/open-song.ts';
import type { ImportQueue } from './import-queue.ts';
import { nothing, type ImportState } from './import-state.ts';
import { MissingFiles } from './missing-files.ts';
import type { Answer } from './placing.ts';
import type { IntoPart } from './takes-into.ts';

/** Files on their way into a song: what brings them is fetched with the first of them. */
export class Imports {
  readonly store = createStore<ImportState>(() => nothing);
  readonly #open: OpenSong;
  readonly #missing: MissingFiles;
  #fetched: Promise<ImportQueue> | null = null;
  #queue: ImportQueue | null = null;

  constructor(open: OpenSong) {
    this.#open = open;
    this.#missing = new MissingFiles(open.session.id);
    const outcomes = this.#missing.ofLastVisit().map((fileName) => ({
      fileName,
      taken: false,
      sentence: `“${fileName}” had not come whole when the page was loaded anew: drop it again.`,
    }));
    if (outcomes.length > 0) this.store.setState({ outcomes });
  }

  async #fetch(): Promise<ImportQueue> {
    const { ImportQueue: Queue } = await import('./import-queue.ts');
    return (this.#queue = new Queue(this.#open, this.store, this.#missing));
  }

  /** @see ImportQueue.bring */
  async bring(
    dropped: readonly File[],
    into: IntoPart | null = null,
    becomes: Answer | null = null,
  ): Promise<void> {
    try {
      (await (this.#fetched ??= this.#fetch())).bring(dropped, into, becomes);
    } catch (error) {
      // The next drop may find the server again.
      this.#fetched = null;
      const refused = dropped.map(({ name: fileName }) => ({
        fileName,
        taken: false,
        sentence: `“${fileName}”: ${sentenceOf(error)} Drop it again when the server is back.`,
      }));
      this.store.setState(({ outcomes }) => ({ outcomes: [...outcomes, ...refused] }));
    }
  }

  stop(): void {
    this.#queue?.stop();
  }

  answer(given: readonly Answer[]): void {
    this.#queue?.answer(given);
  }

  notesDone(): void {
    this.#queue?.notesDone();
  }

  /** Forgets how it went. */
  dismiss(): void {
    if (this.#queue) this.#queue.dismiss();
    else this.store.setState(nothing);
  }
}
