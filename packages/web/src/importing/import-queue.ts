import { isMidiFile } from '@pannet/core/formats/file-name';
import { apply } from '@pannet/core/song/commands';
import type { Edit } from '@pannet/core/song/edits/edit';
import type { Recording } from '@pannet/core/song/song';
import pLimit from 'p-limit';
import type { StoreApi } from 'zustand/vanilla';
import { keepHere, sendingOf } from '../api/files-here.ts';
import { sentenceOf } from '../api/request.ts';
import type { OpenSong } from '../session/open-song.ts';
import { wasStopped } from '../workers/ask.ts';
import { playable, type ImportStep } from './import-files.ts';
import { nothing, type ImportState, type QueueOutcome } from './import-state.ts';
import { lookAtFile } from './look-at-file.ts';
import type { MissingFiles } from './missing-files.ts';
import { alikeKey, arrivals, isReallyStereo, place, type Answer, type Arrival } from './placing.ts';
import { sendRecording, type ToSend } from './sending.ts';
import { takesInto, type IntoPart } from './takes-into.ts';

/** What was dropped at once. */
interface Drop {
  /** How many files have not been looked at yet. */
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

/** So many files are looked at, and so many sent, at once. */
const mostAtOnce = 3;

/**
 * Brings files into a song, several at once; what is dropped while others come joins them. A part is there, and plays, as soon
 * as its file has been looked at here; it is sent while one works on it. What cannot be taken is said and the others go on.
 * Parts come in the order in which their files were dropped.
 */
export class ImportQueue {
  readonly store: StoreApi<ImportState>;
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
  /** What is being sent then goes on; nothing comes into the song any more. */
  #closed = false;
  #firstRate: number | null = null;
  /** The parts that came since nothing was under way: selected together, until something else is. */
  #came: readonly string[] = [];
  readonly #missing: MissingFiles;
  /** What is being sent, by its hash. */
  readonly #sending = new Map<string, ToSend>();
  readonly #inTurn = pLimit(mostAtOnce);
  readonly #drops = new Set<Drop>();

  constructor(open: OpenSong, store: StoreApi<ImportState>, missing: MissingFiles) {
    this.#open = open;
    this.store = store;
    this.#missing = missing;
    open.onClose(() => (this.#closed = true));
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
    const { steps, waiting, total, asked } = this.store.getState();
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
    this.#drops.add(drop);
    for (const file of files) {
      const turn = this.#last;
      let done = () => {};
      this.#last = new Promise((resolve) => (done = resolve));
      this.#waiting.push({ file, drop, turn, done });
      this.#missing.add(file.name);
    }
    if (idle) {
      this.#stop = new AbortController();
      this.#came = [];
      if (asked.length === 0) this.#firstRate = null;
    }
    this.store.setState({
      ...(idle ? { outcomes: [], done: 0 } : {}),
      total: (idle ? 0 : total) + files.length,
      waiting: this.#waiting.length,
    });
    this.#next();
  }

  /** What is under way is given up, with what stands on it, and what waits is not begun. */
  stop(): void {
    this.#stop.abort();
  }

  /** Forgets how it went. */
  dismiss(): void {
    const { steps, asked, notes } = this.store.getState();
    if (this.#running === 0 && steps.length === 0 && asked.length === 0)
      this.store.setState({ ...nothing, notes });
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
        this.#running--;
        if (outcome) this.#say(outcome);
        const isBeingSent = [...this.#sending.values()].some(({ file }) => file === next.file);
        if (!isBeingSent) this.#finish(next.file);
        if (--next.drop.left === 0) this.#settle(next.drop);
        this.#next();
      });
    }
  }

  #say(...outcomes: readonly QueueOutcome[]): void {
    this.store.setState((state) => ({ outcomes: [...state.outcomes, ...outcomes] }));
  }

  #tell(step: ImportStep): void {
    this.store.setState(({ steps }) => ({
      steps: [...steps.filter(({ file }) => file !== step.file), step],
    }));
  }

  /** Nothing is left to be done with a file. */
  #finish(file: File): void {
    this.store.setState(({ steps, done }) => ({
      steps: steps.filter((step) => step.file !== file),
      done: done + 1,
    }));
    const waits = this.#held.some((recording) => nameAsDropped(recording) === file.name);
    // What waits for an answer is not in the song yet.
    if (!waits) this.#missing.remove(file.name);
  }

  /** What is there and has no place yet. */
  get #held(): readonly Recording[] {
    const asked = this.store.getState().asked.flatMap(({ recordings }) => recordings);
    return [...[...this.#drops].flatMap(({ held }) => held), ...asked];
  }

  /** @returns null for what waits for the others of its drop */
  async #one(file: File, turn: Promise<void>, drop: Drop): Promise<QueueOutcome | null> {
    const { signal } = this.#stop;
    const fileName = file.name;
    const tell = (doing: ImportStep['doing']) => (share: number) =>
      this.#tell({ file, fileName, doing, share });
    const refused = (sentence: string) => ({ fileName, taken: false, sentence });
    try {
      signal.throwIfAborted();
      tell('reading')(0);
      const made = await playable(file, this.#rate, signal, tell('converting'));
      const looked = made.ok
        ? await lookAtFile({ ...made.value, file }, signal, tell('reading'))
        : made;
      await turn;
      if (!made.ok || !looked.ok) return refused(looked.ok ? '' : looked.error.sentence);
      const recording = looked.value;
      this.#firstRate ??= recording.rateHz;
      signal.throwIfAborted();
      if (this.#closed) return refused(`“${fileName}” came when the song was closed.`);
      const lacked = this.#open.session.lacks(recording.hash);
      this.#send({ recording, file, wav: made.value.wav });
      if (lacked)
        return {
          ...outcomeOf([recording]),
          sentence: `“${fileName}” came again: it is sent, and then what waited for it is saved.`,
        };
      if (drop.into !== null) return this.#addTakes(drop.into, recording);
      const waits =
        drop.becomes !== null ||
        isReallyStereo(recording) ||
        drop.alike.has(alikeKey(fileName) ?? '');
      if (!waits) {
        drop.placed++;
        return this.#place([{ recordings: [recording] }], ['part'])[0];
      }
      drop.held.push(recording);
      return null;
    } catch (error) {
      await turn;
      return refused(
        wasStopped(error)
          ? `“${fileName}” was stopped; nothing of it was kept.`
          : `“${fileName}”: ${sentenceOf(error)} Drop it again.`,
      );
    }
  }

  /** Sends what the server does not have; steps that bring it wait until it has. */
  #send(what: ToSend): void {
    const { session } = this.#open;
    const { recording, file } = what;
    const { hash } = recording;
    const known = Object.hasOwn(session.store.getState().song.recordings, hash);
    // What may only be read takes nothing in: that is said when it is placed.
    if (session.may === 'read' || this.#sending.has(hash)) return;
    if (known && !session.lacks(hash)) return;
    const { signal } = this.#stop;
    this.#sending.set(hash, what);
    const tell = (share: number, because?: string) =>
      this.#tell({ file, fileName: file.name, doing: 'sending', share, because });
    tell(0);
    const sent =
      sendingOf(hash) ??
      this.#inTurn(() => sendRecording(what, signal, tell, () => session.signedOut()));
    keepHere(hash, what.wav, sent);
    const settled = sent
      .then(
        () => {
          if (session.lacks(hash)) session.resume();
        },
        (error: unknown) => this.#notSent(recording, error),
      )
      .then(() => {
        this.#sending.delete(hash);
        this.#finish(file);
      });
    session.awaits(hash, settled);
  }

  /** What the server will not have, or was stopped, leaves the song again. */
  #notSent(recording: Recording, error: unknown): void {
    const { hash } = recording;
    const fileName = nameAsDropped(recording);
    const lost = this.#open.session.giveUp(hash);
    const isOther = (one: Recording) => one.hash !== hash;
    for (const drop of this.#drops) drop.held.splice(0, Infinity, ...drop.held.filter(isOther));
    const also =
      lost.length === 0 ? '' : ` With it went: ${lost.map((name) => `“${name}”`).join(', ')}.`;
    const sentence = wasStopped(error)
      ? `“${fileName}” was stopped; nothing of it was kept.`
      : `“${fileName}” could not be kept, and is gone from the song: ${sentenceOf(error)}`;
    this.store.setState(({ outcomes, asked }) => ({
      outcomes: [
        ...outcomes.filter(({ hashes = [] }) => !hashes.includes(hash)),
        { fileName, taken: false, sentence: `${sentence}${also}` },
      ],
      asked: asked
        .map((row) => ({ ...row, recordings: row.recordings.filter(isOther) }))
        .filter(({ recordings }) => recordings.length > 0),
    }));
  }

  /** All of a drop have been looked at: what is sure finds its place, the rest is asked, all at once. */
  #settle(drop: Drop): void {
    this.#drops.delete(drop);
    const { held, placed, becomes } = drop;
    if (held.length === 0) return;
    if (becomes !== null) {
      this.#say(...this.#place([{ recordings: held }], [becomes]));
      return;
    }
    const { song } = this.#open.session.store.getState();
    // What came beside them tells whether one of them is the rough mix.
    const rows = arrivals(song, held, placed);
    const sure = rows.filter(({ choices }) => choices.length === 1);
    const asked = rows.filter(({ choices }) => choices.length > 1);
    this.#say(
      ...this.#place(
        sure,
        sure.map(({ choices }) => choices[0]),
      ),
    );
    this.store.setState((state) => ({ asked: [...state.asked, ...asked] }));
  }

  /** What was asked is answered, row by row: one step of work. */
  answer(given: readonly Answer[]): void {
    const { asked } = this.store.getState();
    this.store.setState({ asked: [] });
    this.#say(
      ...this.#place(
        asked,
        asked.map(({ choices }, n) => given[n] ?? choices[0]),
      ),
    );
  }

  /** The notes that were asked about first have been played, or are left. */
  notesDone(): void {
    this.store.setState(({ notes }) => ({ notes: notes.slice(1) }));
  }

  /** Puts all of it into the song as one step; a row that does not fit is left out, and says why. */
  #place(
    rows: readonly Pick<Arrival, 'recordings'>[],
    given: readonly Answer[],
  ): readonly QueueOutcome[] {
    let { song } = this.#open.session.store.getState();
    const edits: Edit[] = [];
    const outcomes = rows.map((row, n): QueueOutcome => {
      const placed = place(song, row, given[n], () => crypto.randomUUID());
      const outcome = { ...outcomeOf(row.recordings), sentence: placed.sentence };
      for (const recording of row.recordings)
        if (!this.#sending.has(recording.hash)) this.#missing.remove(nameAsDropped(recording));
      const command = { id: 'place', name: 'place', role: 'do', edits: placed.edits } as const;
      const after = placed.edits.length > 0 ? apply(song, command) : null;
      if (after?.ok) {
        ({ song } = after.value);
        edits.push(...placed.edits);
      }
      return after === null || after.ok
        ? outcome
        : { ...outcome, taken: false, sentence: after.error.sentence };
    });
    if (edits.length === 0) return outcomes;
    const names = rows.flatMap(({ recordings }) => recordings.map(({ fileName }) => fileName));
    const done = this.#open.session.do(`import ${names.join(', ')}`, edits);
    if (!done.ok)
      return outcomes.map((one) => ({ ...one, taken: false, sentence: done.error.sentence }));
    this.#select(edits.flatMap((edit) => (edit.kind === 'add-part' ? [edit.part.id] : [])));
    return outcomes;
  }

  /** Takes of a part that is there. */
  #addTakes(into: IntoPart, recording: Recording): QueueOutcome {
    const { session } = this.#open;
    const { step, edits, sentence } = takesInto(session.store.getState().song, into, recording);
    const outcome = { ...outcomeOf([recording]), sentence };
    if (edits === null) return { ...outcome, taken: false };
    const done = session.do(step, edits);
    return done.ok ? outcome : { ...outcome, taken: false, sentence: done.error.sentence };
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

const nameAsDropped = ({ fileName, original }: Recording) => original?.fileName ?? fileName;

/** Of what is taken, before what is to be said of it. */
function outcomeOf(recordings: readonly Recording[]) {
  return {
    fileName: recordings.map(({ fileName }) => fileName).join(', '),
    hashes: recordings.map(({ hash }) => hash),
    taken: true,
  };
}
