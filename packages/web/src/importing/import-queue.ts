import type { Recording } from '@pannet/core/song/song';
import { createStore } from 'zustand/vanilla';
import { sentenceOf } from '../api/request.ts';
import type { OpenSong } from '../session/open-song.ts';
import { windowStorage } from '../sync/browser-storage.ts';
import { keepFile, placeRecording, type ImportOutcome, type ImportStep } from './import-files.ts';

export interface ImportState {
  /** Of the files that are under way. */
  readonly steps: readonly ImportStep[];
  /** How many have yet to begin. */
  readonly waiting: number;
  /** How many there are together since nothing was under way. */
  readonly total: number;
  readonly outcomes: readonly ImportOutcome[];
}

const nothing: ImportState = { steps: [], waiting: 0, total: 0, outcomes: [] };

/** So many files are read and sent at once. */
const mostAtOnce = 3;

/** How far all of it has come. */
export function shareOf({ steps, total, outcomes }: ImportState): number {
  const begun = steps.reduce(
    (sum, { share, doing }) => sum + (doing === 'converting' ? share / 2 : share),
    0,
  );
  return total === 0 ? 0 : Math.min(1, (outcomes.length + begun) / total);
}

/**
 * Brings files into a song, several at once; what is dropped while others come joins them. What cannot be taken is said and
 * the others go on. Parts come in the order in which their files were dropped.
 */
export class ImportQueue {
  readonly store = createStore<ImportState>(() => nothing);
  readonly #open: OpenSong;
  readonly #waiting: {
    readonly file: File;
    readonly turn: Promise<void>;
    readonly done: () => void;
  }[] = [];
  /** Ends with the file that was dropped last. */
  #last: Promise<void> = Promise.resolve();
  #stop = new AbortController();
  #running = 0;

  /** Names of files that are under way or wait; the files themselves do not survive a reload. */
  readonly #key: string;
  readonly #missing: string[] = [];

  constructor(open: OpenSong) {
    this.#open = open;
    this.#key = `pannet.importing.${open.session.id}`;
    this.#sayWhatIsMissing();
  }

  /** A page that is loaded anew has lost the files that were on their way: which, is said. */
  #sayWhatIsMissing(): void {
    let names: unknown = null;
    try {
      names = JSON.parse(windowStorage.read(this.#key) ?? 'null');
    } catch {
      // Nothing that can be said.
    }
    windowStorage.drop(this.#key);
    if (!Array.isArray(names) || names.length === 0) return;
    this.store.setState({
      outcomes: names.map((name) => ({
        fileName: String(name),
        taken: false,
        sentence: `“${String(name)}” had not come yet when the page was loaded anew: drop it again.`,
      })),
    });
  }

  #isMissing(fileName: string): void {
    this.#missing.push(fileName);
    windowStorage.keep(this.#key, JSON.stringify(this.#missing));
  }

  #isThere(fileName: string): void {
    const at = this.#missing.indexOf(fileName);
    if (at >= 0) this.#missing.splice(at, 1);
    if (this.#missing.length === 0) windowStorage.drop(this.#key);
    else windowStorage.keep(this.#key, JSON.stringify(this.#missing));
  }

  bring(files: readonly File[]): void {
    const { steps, waiting, total } = this.store.getState();
    const idle = steps.length + waiting === 0 && this.#running === 0;
    for (const file of files) {
      const turn = this.#last;
      let done = () => {};
      this.#last = new Promise((resolve) => (done = resolve));
      this.#waiting.push({ file, turn, done });
      this.#isMissing(file.name);
    }
    if (idle) this.#stop = new AbortController();
    this.store.setState({
      ...(idle ? { outcomes: [] } : {}),
      total: (idle ? 0 : total) + files.length,
      waiting: this.#waiting.length,
    });
    this.#next();
  }

  /** What is under way is given up, and what waits is not begun. */
  stop(): void {
    this.#stop.abort();
  }

  /** Forgets how it went. */
  dismiss(): void {
    if (this.#running === 0) this.store.setState(nothing);
  }

  #next(): void {
    // The first file decides the song's rate: until it has, no other is converted to it.
    const most = this.#open.session.store.getState().song.rateHz === null ? 1 : mostAtOnce;
    while (this.#running < most) {
      const next = this.#waiting.shift();
      if (!next) return;
      this.#running++;
      this.store.setState({ waiting: this.#waiting.length });
      void this.#one(next.file, next.turn).then((outcome) => {
        next.done();
        this.#isThere(next.file.name);
        this.#running--;
        this.store.setState(({ steps, outcomes }) => ({
          steps: steps.filter((step) => step.file !== next.file),
          outcomes: [...outcomes, outcome],
        }));
        this.#next();
      });
    }
  }

  async #one(file: File, turn: Promise<void>): Promise<ImportOutcome> {
    const { signal } = this.#stop;
    const fileName = file.name;
    const progress = (step: Omit<ImportStep, 'file'>) =>
      this.store.setState(({ steps }) => ({
        steps: [...steps.filter((other) => other.file !== file), { ...step, file }],
      }));
    try {
      signal.throwIfAborted();
      const { rateHz } = this.#open.session.store.getState().song;
      const kept = await keepFile(file, rateHz, signal, progress);
      await turn;
      if ('taken' in kept) return kept;
      signal.throwIfAborted();
      return this.#place(kept, fileName);
    } catch (error) {
      const stopped = error instanceof DOMException && error.name === 'AbortError';
      await turn;
      return {
        fileName,
        taken: false,
        sentence: stopped
          ? `“${fileName}” was stopped; nothing of it was kept.`
          : `“${fileName}”: ${sentenceOf(error)} Drop it again when the server is back.`,
      };
    }
  }

  #place(kept: Recording, fileName: string): ImportOutcome {
    const open = this.#open;
    const placed = placeRecording(open.session.store.getState().song, kept, crypto.randomUUID());
    const done = open.session.do(`import ${fileName}`, placed.edits);
    if (!done.ok) return { fileName, taken: false, sentence: done.error.sentence };
    const part = placed.edits.find((edit) => edit.kind === 'add-part');
    if (part?.kind === 'add-part')
      open.selection.setState({
        partId: part.part.id,
        partIds: [part.part.id],
        voiceId: null,
        voiceIds: [],
      });
    return { fileName, taken: true, sentence: placed.sentence };
  }
}
