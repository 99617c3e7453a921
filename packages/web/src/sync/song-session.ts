import { failure, FailureError, success, type Outcome } from '@pannet/core/outcome';
import { apply, mergeCommands, type Command, type LoggedCommand } from '@pannet/core/song/commands';
import type { Edit } from '@pannet/core/song/edits/edit';
import { record, redoCommand, replay, undoCommand } from '@pannet/core/song/history';
import { smallEdits } from '@pannet/core/song/small-edits';
import { readSong } from '@pannet/core/song/saved-song';
import { songFormat, type Song } from '@pannet/core/song/song';
import { createStore, type StoreApi } from 'zustand/vanilla';
import { sendingOf } from '../api/files-here.ts';
import { Refused, ServerLost } from '../api/request.ts';
import { getSession } from '../api/session.ts';
import { openSong, sendCommands, songRevision, type OpenedSong } from '../api/songs.ts';
import { SongCopy, type CopyMade } from './copy-with-steps.ts';
import { Following } from './following.ts';
import { KnownLog } from './known-log.ts';
import { whyNotSent } from './not-sent.ts';
import type { SessionState } from './session-state.ts';
import { inBatches, jsonBytes, mostStepBytes } from './step-size.ts';
import { thisWindow } from './this-window.ts';
import { dropUnsent, UnsentSteps, type Unsent } from './unsent.ts';

/** Steps of one gesture follow each other within this time; so long the last of them waits to be sent. */
const gestureMs = 1000;
/** What fails so often with the same steps fails because of them. */
const mostFailures = 3;
/** Where so few steps can be taken back, earlier ones are fetched. */
const fewSteps = 20;

/** What a step changes, as its name says: “right double: delay”. Only steps from one figure to another are of a gesture. */
function targetOf(name: string): string | null {
  const at = name.indexOf('→');
  return at < 0
    ? null
    : name
        .slice(0, at)
        .replace(/[-+−]?[\d.]+\s*\S*\s*$/, '')
        .trim();
}

/** Hashes of the recordings that a step puts into the song. */
function broughtBy({ edits }: Command): string[] {
  return edits.flatMap((edit) => (edit.kind === 'put-recording' ? [edit.recording.hash] : []));
}

/** What the server keeps is read by its description here too, before anything is shown of it. */
async function readOpened(id: string): Promise<OpenedSong> {
  const opened = await openSong(id);
  const song = readSong(opened.song);
  if (!song.ok) throw new FailureError(song.error);
  return { ...opened, song: song.value };
}

/** One open song: its document, its undo, and what the server has yet to be told. */
export class SongSession {
  readonly store: StoreApi<SessionState>;
  readonly id: string;
  /** What one may do with it. */
  readonly may: OpenedSong['may'];
  /** Name of the account that opened it; null where there are none. Nobody else's steps are sent. */
  readonly account: string | null;
  /** What the server has, as far as is known: its song, the newest of its log, and what stands before that. */
  #confirmed: Song;
  #log: KnownLog;
  #revision: number;
  /** The song after each of the pending commands. */
  #after: readonly Song[] = [];
  readonly #unsent: UnsentSteps | null;
  #sending = false;
  /** Counts what is kept, so that only the newest tells whether it is. */
  #keepCount = 0;
  readonly #following = new Following(() => this.#follow());
  #closed = false;
  #failures = 0;
  /** Recordings that are on their way to the server: no step that brings one goes before it. */
  readonly #coming = new Map<string, Promise<unknown>>();
  /** So many are sent at once, at most. */
  #atOnce = Infinity;
  #retry: ReturnType<typeof setTimeout> | undefined;
  /** The step that the next one of its gesture would be merged with; it is not sent before that is settled. */
  #held: { readonly id: string; readonly timer: ReturnType<typeof setTimeout> } | null = null;

  /** @throws ServerLost, Refused, and a FailureError where what came is no song */
  static async open(id: string): Promise<SongSession> {
    // Without it, steps would be kept for nobody: where it cannot be told, the song is not opened.
    const { name: account } = await getSession();
    const unsent = new UnsentSteps(id, await thisWindow(), crypto.randomUUID(), account);
    try {
      const left = await unsent.left();
      return new SongSession(id, await readOpened(id), unsent, left, account);
    } catch (error) {
      unsent.close();
      throw error;
    }
  }

  /** @param left steps of earlier visits: those that still fit are taken up, the others wait for a decision */
  constructor(
    id: string,
    opened: OpenedSong,
    unsent: UnsentSteps | null = null,
    left: readonly Unsent[] = [],
    account: string | null = null,
  ) {
    this.id = id;
    this.account = account;
    this.may = opened.may;
    this.#unsent = unsent;
    this.#revision = opened.revision;
    this.#confirmed = opened.song;
    this.#log = new KnownLog(id, opened);
    this.store = createStore<SessionState>(() => ({
      song: opened.song,
      shown: opened.song,
      history: replay(opened.log),
      pending: [],
      saving: { kind: 'saved' },
      kept: 'durable',
      leftovers: [],
    }));
    void this.#takeUp(left);
    void this.#send();
    void this.#fetchEarlier();
    this.#following.start();
  }

  get #state(): SessionState {
    return this.store.getState();
  }

  /** What an earlier visit could not send any more goes through the same check as anything else. */
  async #takeUp(left: readonly Unsent[]): Promise<void> {
    const logged = new Set(this.#log.steps.map((command) => command.id));
    // Of a song that was left while its files were sent.
    for (const hash of left.flatMap(({ commands }) => commands.flatMap(broughtBy))) {
      const sent = sendingOf(hash);
      if (sent) this.awaits(hash, sent);
    }
    const apart: Unsent[] = [];
    for (const unsent of left) {
      const commands = unsent.commands.filter(({ id }) => !logged.has(id));
      const known = unsent.commands.length - commands.length;
      const fits =
        this.#state.pending.length === 0 &&
        unsent.format === songFormat &&
        unsent.baseRevision + known === this.#revision &&
        this.may !== 'read';
      const taken = fits ? commands.findIndex((command) => !this.#take(command).ok) : 0;
      const rest = taken < 0 ? [] : commands.slice(taken);
      if (rest.length > 0 && this.#unsent !== null) apart.push({ ...unsent, commands: rest });
    }
    // What was taken up is kept as this session's own, and what waits apart, before either is dropped where it was.
    const own = this.#keep();
    const aside = await Promise.all(
      apart.map((unsent) => this.#unsent?.setAside(unsent) ?? unsent),
    );
    if (aside.length > 0) this.store.setState({ leftovers: [...this.#state.leftovers, ...aside] });
    const isKept = own.now || (await own.durably);
    const staying = new Set(aside.map(({ key }) => key));
    for (const { key } of left)
      if (!staying.has(key) && key !== this.#unsent?.key && isKept) dropUnsent(key);
  }

  /** Keeps what waits over a reload and a killed browser. */
  #keep(): { readonly now: boolean; readonly durably: Promise<boolean> } {
    const { pending } = this.#state;
    const nothing = { now: true, durably: Promise.resolve(true) };
    if (this.#closed) {
      // Whoever has opened the song since has taken up the rest.
      if (pending.length === 0) this.#unsent?.keep(this.#revision, []);
      return nothing;
    }
    const commands = pending.map(({ id, name, role, edits }) => ({ id, name, role, edits }));
    const keeping = this.#unsent?.keep(this.#revision, commands) ?? nothing;
    const turn = ++this.#keepCount;
    this.#setKept(commands.length === 0 ? 'durable' : 'pending');
    if (commands.length > 0)
      void keeping.durably.then((isDurable) => {
        // Only the newest of what waits counts.
        if (turn === this.#keepCount)
          this.#setKept(isDurable ? 'durable' : keeping.now ? 'reload' : 'none');
      });
    return keeping;
  }

  #setKept(kept: SessionState['kept']): void {
    if (kept !== this.#state.kept) this.store.setState({ kept });
  }

  /** One step of work, as one undo. On failure nothing has changed. */
  do(name: string, edits: readonly Edit[]): Outcome<Song> {
    const command: Command = {
      id: crypto.randomUUID(),
      name: name.slice(0, 200),
      role: 'do',
      edits: smallEdits(this.#state.song, edits),
    };
    const taken = this.#merged(command) ?? this.#take(command);
    if (taken.ok) {
      this.#hold(targetOf(name) === null ? null : (this.#state.pending.at(-1) ?? null));
      this.#keep();
      void this.#send();
    }
    return taken;
  }

  /** The tick of a wheel after another, a key that is held: one step with the one before; null where it is not of its gesture. */
  #merged(command: Command): Outcome<Song> | null {
    const { history, pending } = this.#state;
    const last = pending.at(-1);
    if (!last || !this.#held || this.#held.id !== last.id || history.undo.at(-1)?.id !== last.id)
      return null;
    const target = targetOf(command.name);
    if (target === null || target !== targetOf(last.name)) return null;
    const merged = mergeCommands(last, command);
    const before = pending.length > 1 ? this.#after[pending.length - 2] : this.#confirmed;
    const applied = merged && apply(before, merged);
    if (!merged || !applied?.ok) return null;
    const { song, inverse } = applied.value;
    const logged = { ...merged, inverse };
    this.#after = [...this.#after.slice(0, -1), song];
    this.store.setState({
      song,
      shown: song,
      history: { undo: [...history.undo.slice(0, -1), logged], redo: [] },
      pending: [...pending.slice(0, -1), logged],
    });
    return success(song);
  }

  #hold(command: Command | null): void {
    if (this.#held) clearTimeout(this.#held.timer);
    this.#held = command && {
      id: command.id,
      timer: setTimeout(() => {
        this.#held = null;
        void this.#send();
      }, gestureMs),
    };
  }

  /** Sends at once what still waits for more of its gesture. */
  flush(): void {
    this.#hold(null);
    void this.#send();
  }

  undo(): void {
    this.#step(undoCommand(this.#state.history, crypto.randomUUID()));
    void this.#fetchEarlier();
  }

  redo(): void {
    this.#step(redoCommand(this.#state.history, crypto.randomUUID()));
  }

  #step(command: Command | undefined): void {
    if (!command) return;
    // Steps of earlier versions are taken back by giving whole lists anew.
    const edits = smallEdits(this.#state.song, command.edits);
    if (!this.#take({ ...command, edits }).ok) return;
    this.#hold(null);
    this.#keep();
    void this.#send();
  }

  /** Shows what a gesture would do, without doing it. */
  preview(edits: readonly Edit[]): Outcome<Song> {
    const applied = apply(this.#state.song, { id: 'preview', name: 'preview', role: 'do', edits });
    if (!applied.ok) return applied;
    this.store.setState({ shown: applied.value.song });
    return success(applied.value.song);
  }

  endPreview(): void {
    this.store.setState({ shown: this.#state.song });
  }

  #take(command: Command): Outcome<Song> {
    const { song, history, pending } = this.#state;
    const refused = this.#refusal(command);
    const applied = refused ?? apply(song, command);
    if (!applied.ok) {
      this.endPreview();
      return applied;
    }
    const { song: next, inverse } = applied.value;
    const logged = { ...command, inverse };
    this.#after = [...this.#after, next];
    this.store.setState({
      song: next,
      shown: next,
      history: record(history, logged),
      pending: [...pending, logged],
    });
    return success(next);
  }

  /** What could never be saved is not begun. */
  #refusal(command: Command): Outcome<never> | null {
    if (this.may === 'read')
      return failure(
        'not-yours',
        'This song was shared with you to read; its owner can let you work on it.',
      );
    return jsonBytes(command) > mostStepBytes
      ? failure('too-large', 'This changes too much for one step: do it in several.')
      : null;
  }

  async #send(): Promise<void> {
    if (this.#sending || this.#closed) return;
    this.#sending = true;
    clearTimeout(this.#retry);
    let batch: readonly LoggedCommand[] = [];
    try {
      while (this.#maySend() && (batch = this.#nextBatch()).length > 0)
        await this.#sendBatch(batch);
      // A server that is lost is so until it has answered.
      const held = this.#state.pending.length > 0;
      if (this.#maySend() && !(held && this.#state.saving.kind === 'lost'))
        this.store.setState({ saving: { kind: held ? 'saving' : 'saved' } });
    } catch (error) {
      // What nobody foresaw is tried again as if the server had not answered.
      const isKnown = error instanceof Refused || error instanceof ServerLost;
      this.#notSent(isKnown ? error : new ServerLost(), batch);
    } finally {
      this.#sending = false;
    }
  }

  #maySend(): boolean {
    return ['saved', 'saving', 'lost'].includes(this.#state.saving.kind);
  }

  /**
   * What is sent next: no more than goes at once, without the step that the next one may still be merged with, and nothing from
   * one on that brings a recording which is still on its way.
   */
  #nextBatch(): readonly LoggedCommand[] {
    const { pending } = this.#state;
    const held = this.#held && pending.at(-1)?.id === this.#held.id;
    const settled = held ? pending.slice(0, -1) : pending;
    const early = settled.findIndex((command) =>
      broughtBy(command).some((hash) => this.#coming.has(hash)),
    );
    const [batch = []] = inBatches(early < 0 ? settled : settled.slice(0, early), this.#atOnce);
    return batch;
  }

  /** Steps that bring this recording wait until it is there. @param sent settles with its sending */
  awaits(hash: string, sent: Promise<unknown>): void {
    const coming = sent
      .catch(() => {})
      .finally(() => {
        if (this.#coming.get(hash) !== coming) return;
        this.#coming.delete(hash);
        void this.#send();
      });
    this.#coming.set(hash, coming);
  }

  /** Whether something waits for a recording that the server would not take a step for. */
  lacks(hash: string): boolean {
    const { saving, pending } = this.#state;
    return saving.kind === 'refused' && pending.some((one) => broughtBy(one).includes(hash));
  }

  /**
   * A recording will not come: the steps that bring it are given up.
   * @returns names of further steps that stood on them and went with them
   */
  giveUp(hash: string): string[] {
    // What is kept of a song that was left is another one's to decide.
    return this.#closed ? [] : this.#without((command) => broughtBy(command).includes(hash));
  }

  /** Signed out while something else was sent. */
  signedOut(): void {
    if (this.#maySend()) this.store.setState({ saving: { kind: 'signed-out' } });
  }

  async #sendBatch(batch: readonly LoggedCommand[]): Promise<void> {
    if (this.#state.saving.kind !== 'lost') this.store.setState({ saving: { kind: 'saving' } });
    const { revision } = await sendCommands(this.id, this.#revision, batch);
    this.#failures = 0;
    this.#atOnce = Infinity;
    this.#confirm(batch.length, revision);
  }

  /** The server has the first of what waits. */
  #confirm(count: number, revision: number): void {
    const { pending } = this.#state;
    if (count > 0) this.#confirmed = this.#after[count - 1];
    this.#log.append(pending.slice(0, count));
    this.#after = this.#after.slice(count);
    this.#revision = revision;
    this.store.setState({ pending: pending.slice(count) });
    this.#keep();
  }

  #notSent(error: unknown, batch: readonly LoggedCommand[]): void {
    const why = whyNotSent(error, batch);
    switch (why.kind) {
      case 'again':
        if (why.failing && ++this.#failures >= mostFailures) {
          this.#failures = 0;
          // It is sought which of them it is, and the others go on.
          if (batch.length > 1) this.#atOnce = Math.ceil(batch.length / 2);
          else {
            this.#refuse('The server fails on it, every time.', batch[0] ?? null);
            return;
          }
        }
        this.store.setState({ saving: { kind: 'lost', because: why.because } });
        this.#retry = setTimeout(() => void this.#send(), why.afterMs);
        return;
      case 'fewer':
        this.#atOnce = Math.ceil(batch.length / 2);
        this.#retry = setTimeout(() => void this.#send(), 0);
        return;
      case 'elsewhere': {
        // What the server has of it already does not wait any more.
        const known = new Set(why.known.map((id) => id.toLowerCase()));
        const count = this.#state.pending.findIndex(({ id }) => !known.has(id.toLowerCase()));
        const saved = count < 0 ? this.#state.pending.length : count;
        this.#confirm(saved, this.#revision + saved);
        this.store.setState({ saving: { kind: 'elsewhere' } });
        return;
      }
      case 'signed-out':
        this.store.setState({ saving: { kind: 'signed-out' } });
        return;
      case 'refused':
        this.#refuse(why.sentence, batch.find(({ id }) => id === why.commandId) ?? null);
    }
  }

  #refuse(sentence: string, step: Command | null): void {
    this.store.setState({ saving: { kind: 'refused', sentence, step } });
  }

  /** Goes on sending, after whatever was in the way has been dealt with. */
  resume(): void {
    if (this.#state.saving.kind === 'elsewhere') return;
    this.store.setState({ saving: { kind: this.#state.pending.length > 0 ? 'saving' : 'saved' } });
    void this.#send();
  }

  /**
   * Gives up the step that the server will not take, and goes on without it.
   * @returns names of further steps that stood on it and went with it
   */
  setAside(): string[] {
    const { saving } = this.#state;
    if (saving.kind !== 'refused' || !saving.step) return [];
    const { id } = saving.step;
    const lost = this.#without((command) => command.id === id);
    this.resume();
    return lost;
  }

  /** Begins again from what the server has, without some of what waits. */
  #without(gone: (command: Command) => boolean): string[] {
    const rest = this.#state.pending.filter((command) => !gone(command));
    if (rest.length === this.#state.pending.length) return [];
    this.#hold(null);
    this.#goBackTo(this.#confirmed);
    const lost: string[] = [];
    // Where what was taken back is gone itself nothing is lost.
    for (const { inverse: _, ...command } of rest)
      if (!this.#take(command).ok && command.role === 'do') lost.push(command.name);
    this.#keep();
    return lost;
  }

  #goBackTo(song: Song): void {
    this.#after = [];
    this.store.setState({ song, shown: song, history: replay(this.#log.steps), pending: [] });
  }

  /** Gives up what waits and goes on from what the server has. */
  async takeServerState(): Promise<void> {
    this.#takeOver(await readOpened(this.id));
  }

  #takeOver(opened: OpenedSong): void {
    this.#hold(null);
    this.#revision = opened.revision;
    this.#confirmed = opened.song;
    this.#log = new KnownLog(this.id, opened);
    this.#goBackTo(opened.song);
    this.#keep();
    this.store.setState({ saving: { kind: 'saved' } });
  }

  /** Shows what another window has done, as long as nothing is being done here: what is done here finds out when it is sent. */
  async #follow(): Promise<void> {
    const { saving, pending, song, shown } = this.#state;
    if (saving.kind !== 'saved' || pending.length > 0 || song !== shown) return;
    try {
      if ((await songRevision(this.id)).revision === this.#revision) return;
      const opened = await readOpened(this.id);
      const now = this.#state;
      const isStill = now.song === song && now.shown === shown && now.saving === saving;
      if (isStill && !this.#closed) this.#takeOver(opened);
    } catch (error) {
      if (error instanceof Refused && error.status === 401) this.signedOut();
      // Anything else passes, or is said when something is sent.
    }
  }

  /** A copy of the song as it was when what waits was begun, with what waits in it, also what is done while it is made. */
  async copyWithPending(): Promise<CopyMade> {
    await Promise.all(this.#coming.values());
    const copy = await SongCopy.of(this.#confirmed, this.#revision);
    const copied = new Set<string>();
    const addRest = async () => {
      for (;;) {
        const rest = this.#state.pending.filter(({ id }) => !copied.has(id));
        if (rest.length === 0) return;
        for (const { id } of rest) copied.add(id);
        await copy.add(rest.map(({ inverse: _, ...command }) => command));
      }
    };
    await addRest();
    const opened = await readOpened(this.id);
    await addRest();
    this.#takeOver(opened);
    return copy.made;
  }

  /** The same for steps of an earlier visit; they are not asked about again. */
  async copyWithLeftover({ key, baseRevision, commands }: Unsent): Promise<CopyMade> {
    const copy = await SongCopy.of(
      this.#confirmed,
      baseRevision < 0 ? this.#revision : Math.min(baseRevision, this.#revision),
    );
    await copy.add(commands);
    this.dropLeftover(key);
    return copy.made;
  }

  dropLeftover(key: string): void {
    dropUnsent(key);
    this.store.setState({ leftovers: this.#state.leftovers.filter((left) => left.key !== key) });
  }

  /** Fetches earlier steps before the last one that is known has been taken back. */
  async #fetchEarlier(): Promise<void> {
    const log = this.#log;
    while (!this.#closed && this.#state.history.undo.length < fewSteps) {
      if (!(await log.fetchEarlier()) || log !== this.#log) return;
      this.store.setState({ history: replay([...log.steps, ...this.#state.pending]) });
    }
  }

  close(): void {
    this.flush();
    this.#closed = true;
    this.#unsent?.close();
    clearTimeout(this.#retry);
    this.#following.stop();
  }
}
