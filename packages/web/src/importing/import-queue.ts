import { isMidiFile } from '@pannet/core/formats/file-name';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Part, Recording, Take } from '@pannet/core/song/song';
import { takesEdit, withMoreTakes } from '@pannet/core/song/takes-of-part';
import { mostTakes } from '@pannet/core/takes/take';
import { createStore } from 'zustand/vanilla';
import { sentenceOf } from '../api/request.ts';
import type { OpenSong } from '../session/open-song.ts';
import { windowStorage } from '../sync/browser-storage.ts';
import { factsSentence } from './facts-sentence.ts';
import { keepFile, type ImportOutcome, type ImportStep } from './import-files.ts';
import {
  alikeKey,
  arrivals,
  isReallyStereo,
  nameOf,
  originText,
  place,
  type Answer,
  type Arrival,
} from './placing.ts';

export interface ImportState {
  /** Of the files that are under way. */
  readonly steps: readonly ImportStep[];
  /** How many have yet to begin. */
  readonly waiting: number;
  /** How many there are together since nothing was under way. */
  readonly total: number;
  readonly outcomes: readonly ImportOutcome[];
  /** How many are there, and wait for the others of their drop to say what becomes of them. */
  readonly held: number;
  /** What has to be asked of the engineer, with what it becomes unless another thing is chosen. */
  readonly asked: readonly Arrival[];
  /** Files of notes, which have to be played before they are takes. */
  readonly notes: readonly NotesToPlay[];
}

/** A file of notes, and the part whose takes it is to become; null for one of its own. */
export interface NotesToPlay {
  readonly file: File;
  readonly into: IntoPart | null;
}

const nothing: ImportState = {
  steps: [],
  waiting: 0,
  total: 0,
  outcomes: [],
  held: 0,
  asked: [],
  notes: [],
};

/** The part whose takes files become, and the take that one of them replaces. */
export interface IntoPart {
  readonly partId: string;
  readonly takeId?: string;
}

/** What was dropped at once. */
interface Drop {
  /** How many files are not there yet. */
  left: number;
  /** Keys of names that more than one file has. */
  readonly alike: ReadonlySet<string>;
  readonly held: Recording[];
  /** How many have found their place already. */
  placed: number;
  /** Null for parts of their own. */
  readonly into: IntoPart | null;
  /** What all of it together becomes, where that is known. */
  readonly becomes: Answer | null;
}

/** So many files are read and sent at once. */
const mostAtOnce = 3;

/** How far all of it has come. */
export function shareOf({ steps, total, outcomes, held }: ImportState): number {
  const begun = steps.reduce(
    (sum, { share, doing }) => sum + (doing === 'converting' ? share / 2 : share),
    0,
  );
  return total === 0 ? 0 : Math.min(1, (outcomes.length + held + begun) / total);
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
    readonly drop: Drop;
    readonly turn: Promise<void>;
    readonly done: () => void;
  }[] = [];
  /** Ends with the file that was dropped last. */
  #last: Promise<void> = Promise.resolve();
  #stop = new AbortController();
  #running = 0;
  #firstRate: number | null = null;
  /** The parts that came since nothing was under way: selected together, until something else is. */
  #came: readonly string[] = [];

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

  /**
   * @param into left out, they become parts, or what is answered
   * @param becomes what all of them together become, where nothing is to be asked
   */
  bring(
    dropped: readonly File[],
    into: IntoPart | null = null,
    becomes: Answer | null = null,
  ): void {
    const notes = dropped.filter(({ name }) => isMidiFile(name)).map((file) => ({ file, into }));
    if (notes.length > 0) this.store.setState((state) => ({ notes: [...state.notes, ...notes] }));
    const files = dropped.filter(({ name }) => !isMidiFile(name));
    if (files.length === 0) return;
    const { steps, waiting, total } = this.store.getState();
    const idle = steps.length + waiting === 0 && this.#running === 0;
    const keys = files.map(({ name }) => alikeKey(name));
    const alike = new Set(keys.filter((key, n) => key !== null && keys.indexOf(key) !== n));
    const drop: Drop = {
      left: files.length,
      alike: alike as Set<string>,
      held: [],
      placed: 0,
      into,
      becomes,
    };
    for (const file of files) {
      const turn = this.#last;
      let done = () => {};
      this.#last = new Promise((resolve) => (done = resolve));
      this.#waiting.push({ file, drop, turn, done });
      this.#isMissing(file.name);
    }
    if (idle) {
      this.#stop = new AbortController();
      this.#came = [];
      if (this.store.getState().held === 0) this.#firstRate = null;
    }
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
    const { held, notes } = this.store.getState();
    if (this.#running === 0 && held === 0) this.store.setState({ ...nothing, notes });
  }

  /** The song's rate, or that of the first file where that waits for an answer; null before there is one. */
  get #rate(): number | null {
    return this.#open.session.store.getState().song.rateHz ?? this.#firstRate;
  }

  #next(): void {
    // The first file decides the song's rate: until it has, no other is converted to it.
    const most = this.#rate === null ? 1 : mostAtOnce;
    while (this.#running < most) {
      const next = this.#waiting.shift();
      if (!next) return;
      this.#running++;
      this.store.setState({ waiting: this.#waiting.length });
      void this.#one(next.file, next.turn, next.drop).then((outcome) => {
        next.done();
        // What waits for an answer is not in the song yet.
        if (outcome) this.#isThere(next.file.name);
        this.#running--;
        this.store.setState(({ steps, outcomes }) => ({
          steps: steps.filter((step) => step.file !== next.file),
          outcomes: outcome ? [...outcomes, outcome] : outcomes,
        }));
        if (--next.drop.left === 0) this.#settle(next.drop);
        this.#next();
      });
    }
  }

  /** @returns null for what waits for the others of its drop */
  async #one(file: File, turn: Promise<void>, drop: Drop): Promise<ImportOutcome | null> {
    const { signal } = this.#stop;
    const fileName = file.name;
    const progress = (step: Omit<ImportStep, 'file'>) =>
      this.store.setState(({ steps }) => ({
        steps: [...steps.filter((other) => other.file !== file), { ...step, file }],
      }));
    try {
      signal.throwIfAborted();
      const kept = await keepFile(file, this.#rate, signal, progress);
      await turn;
      if ('taken' in kept) return kept;
      this.#firstRate ??= kept.rateHz;
      signal.throwIfAborted();
      if (drop.into !== null) return this.#addTakes(drop.into, kept);
      const waits =
        drop.becomes !== null || isReallyStereo(kept) || drop.alike.has(alikeKey(fileName) ?? '');
      if (!waits) {
        drop.placed++;
        return this.#place({ recordings: [kept] }, 'part');
      }
      drop.held.push(kept);
      this.store.setState(({ held }) => ({ held: held + 1 }));
      return null;
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

  /** All of a drop are there: what is sure finds its place, the rest is asked, all at once. */
  #settle({ held, placed, becomes }: Drop): void {
    if (held.length === 0) return;
    if (becomes !== null) {
      const outcome = this.#place({ recordings: held }, becomes);
      this.store.setState((state) => ({
        outcomes: [...state.outcomes, outcome],
        held: state.held - held.length,
      }));
      return;
    }
    const { song } = this.#open.session.store.getState();
    // What came beside them tells whether one of them is the rough mix.
    const rows = arrivals(song, held, placed);
    const sure = rows.filter(({ choices }) => choices.length === 1);
    const asked = rows.filter(({ choices }) => choices.length > 1);
    const outcomes = sure.map((row) => this.#place(row, row.choices[0]));
    const count = countOf(sure);
    this.store.setState((state) => ({
      outcomes: [...state.outcomes, ...outcomes],
      held: state.held - count,
      asked: [...state.asked, ...asked],
    }));
  }

  /** What was asked is answered, row by row, a step of work each. */
  answer(given: readonly Answer[]): void {
    const { asked } = this.store.getState();
    const outcomes = asked.map((row, n) => this.#place(row, given[n] ?? row.choices[0]));
    const count = countOf(asked);
    this.store.setState((state) => ({
      outcomes: [...state.outcomes, ...outcomes],
      held: state.held - count,
      asked: [],
    }));
  }

  /** The notes that were asked about first have been played, or are left. */
  notesDone(): void {
    this.store.setState(({ notes }) => ({ notes: notes.slice(1) }));
  }

  #place(row: Pick<Arrival, 'recordings'>, answer: Answer): ImportOutcome {
    const open = this.#open;
    const fileName = row.recordings.map((one) => one.fileName).join(', ');
    for (const { original, fileName: name } of row.recordings)
      this.#isThere(original?.fileName ?? name);
    const { song } = open.session.store.getState();
    const placed = place(song, row, answer, () => crypto.randomUUID());
    if (placed.edits.length === 0) return { fileName, taken: true, sentence: placed.sentence };
    const done = open.session.do(`import ${fileName}`, placed.edits);
    if (!done.ok) return { fileName, taken: false, sentence: done.error.sentence };
    const added = placed.edits.flatMap((edit) => (edit.kind === 'add-part' ? [edit.part.id] : []));
    this.#select(added);
    return { fileName, taken: true, sentence: placed.sentence };
  }

  /** Takes of a part that is there; the channels of what is really stereo are two. */
  #addTakes({ partId, takeId }: IntoPart, kept: Recording): ImportOutcome {
    const { fileName } = kept;
    const part = this.#open.keptPart(partId);
    const refused = (sentence: string) => ({ fileName, taken: false, sentence });
    if (!part) return refused(`“${fileName}”: the part that it was for is gone.`);
    if (takeId !== undefined) return this.#replaceTake(part, takeId, kept);
    const channels = isReallyStereo(kept) ? ['left', 'right'] : [null];
    if (part.takes.length + channels.length > mostTakes)
      return refused(
        `“${fileName}”: “${part.name}” has ${mostTakes} takes, the most there may be.`,
      );
    const more = channels.map((side, channel) => ({
      recording: kept.hash,
      channel,
      name: side ? `${nameOf(fileName).slice(0, 70)} ${side}` : nameOf(fileName),
    }));
    const refusal = this.#setTakes(part, `take ${fileName}`, kept, withMoreTakes(part, more));
    if (refusal) return refused(refusal);
    const what = channels.length > 1 ? 'Its two channels became takes' : 'It became a take';
    return {
      fileName,
      taken: true,
      sentence: `“${fileName}”: ${what} of “${part.name}”. ${factsSentence(kept)}${originText(kept)}`,
    };
  }

  /** Another file in the place of a take's: all else of it is kept, but what was found by the sound of the one before. */
  #replaceTake(part: Part, takeId: string, kept: Recording): ImportOutcome {
    const { fileName } = kept;
    const takes = part.takes.map((take) =>
      take.id === takeId
        ? {
            ...take,
            recording: kept.hash,
            channel: 0,
            align: take.align && { ...take.align, polarity: 'normal' as const, path: null },
          }
        : take,
    );
    const refusal = this.#setTakes(part, `replace by ${fileName}`, kept, takes);
    if (refusal) return { fileName, taken: false, sentence: refusal };
    const left = isReallyStereo(kept) ? ' Its left channel alone: the right one is left out.' : '';
    return {
      fileName,
      taken: true,
      sentence: `“${fileName}” is in the place of another take of “${part.name}”, with its cuts and its level.${left} ${factsSentence(kept)}${originText(kept)}`,
    };
  }

  /** @returns why not; null where it is done */
  #setTakes(part: Part, what: string, kept: Recording, takes: readonly Take[]): string | null {
    const { recordings } = this.#open.session.store.getState().song;
    const edits: Edit[] = [];
    if (!Object.hasOwn(recordings, kept.hash))
      edits.push({ kind: 'put-recording', recording: kept });
    edits.push(takesEdit(part, takes));
    const done = this.#open.session.do(`${part.name}: ${what}`, edits);
    return done.ok ? null : done.error.sentence;
  }

  /** What came together is selected together, the first of it looked at: a recipe then goes to all of it. */
  #select(added: readonly string[]): void {
    const { selection } = this.#open;
    if (added.length === 0) return;
    const { partIds } = selection.getState();
    const before = this.#came;
    this.#came = [...before, ...added];
    if (before.length === 0)
      selection.setState({ partId: added[0], partIds: added, voiceId: null, voiceIds: [] });
    // Who has selected something else meanwhile has begun to work.
    else if (partIds.length === before.length && before.every((id) => partIds.includes(id)))
      selection.setState({ partIds: this.#came });
  }
}

function countOf(rows: readonly Arrival[]): number {
  return rows.reduce((sum, { recordings }) => sum + recordings.length, 0);
}
