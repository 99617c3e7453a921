import { FailureError, success, type Outcome } from '@pannet/core/outcome';
import { apply, mergeCommands, type Command } from '@pannet/core/song/commands';
import type { Edit } from '@pannet/core/song/edits/edit';
import { record, redoCommand, replay, undoCommand, type History } from '@pannet/core/song/history';
import { readSong } from '@pannet/core/song/saved-song';
import type { Song } from '@pannet/core/song/song';
import { createStore, type StoreApi } from 'zustand/vanilla';
import { Refused, ServerLost } from '../api/request.ts';
import { openSong, sendCommands, type OpenedSong } from '../api/songs.ts';
import { keepPending, keptPending } from './pending-storage.ts';

export type Saving =
  | { readonly kind: 'saved' }
  | { readonly kind: 'saving' }
  /** The server does not answer; work goes on and is sent when it does. */
  | { readonly kind: 'lost' }
  /** The song was changed in another window. */
  | { readonly kind: 'elsewhere' }
  /** The server took the commands up to here, but not the next one. */
  | { readonly kind: 'refused'; readonly sentence: string };

export interface SessionState {
  /** Confirmed and pending commands applied. */
  readonly song: Song;
  /** The song with a gesture that is not finished; what is seen and heard. */
  readonly shown: Song;
  readonly history: History;
  readonly pending: readonly Command[];
  readonly saving: Saving;
}

const retryMs = 1000;
/** Steps of one gesture follow each other within this time; so long the last of them waits to be sent. */
const gestureMs = 1000;

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

/** What the server keeps is read by its description here too, before anything is shown of it. */
async function readOpened(id: string): Promise<OpenedSong> {
  const opened = await openSong(id);
  const song = readSong((opened as OpenedSong | null)?.song);
  if (!song.ok) throw new FailureError(song.error);
  return { ...opened, song: song.value };
}

/** One open song: its document, its undo, and what the server has yet to be told. */
export class SongSession {
  readonly store: StoreApi<SessionState>;
  readonly id: string;
  #revision: number;
  #sending = false;
  #closed = false;
  #retry: ReturnType<typeof setTimeout> | undefined;
  /** The step that the next one of its gesture would be merged with; it is not sent before that is settled. */
  #held: { readonly id: string; readonly timer: ReturnType<typeof setTimeout> } | null = null;

  /** @throws ServerLost, Refused, and a FailureError where what came is no song */
  static async open(id: string): Promise<SongSession> {
    return new SongSession(id, await readOpened(id));
  }

  constructor(id: string, opened: OpenedSong) {
    this.id = id;
    this.#revision = opened.revision;
    this.store = createStore<SessionState>(() => ({
      song: opened.song,
      shown: opened.song,
      history: replay(opened.log),
      pending: [],
      saving: { kind: 'saved' },
    }));
    // What an earlier visit could not send any more.
    const logged = new Set(opened.log.map((command) => command.id));
    for (const command of keptPending(id)) if (!logged.has(command.id)) this.#take(command);
    void this.#send();
  }

  get #state(): SessionState {
    return this.store.getState();
  }

  /** One step of work, as one undo. On failure nothing has changed. */
  do(name: string, edits: readonly Edit[]): Outcome<Song> {
    const command: Command = {
      id: crypto.randomUUID(),
      name: name.slice(0, 200),
      role: 'do',
      edits,
    };
    const taken = this.#merged(command) ?? this.#take(command);
    if (taken.ok) {
      this.#hold(targetOf(name) === null ? null : (this.#state.pending.at(-1) ?? null));
      void this.#send();
    }
    return taken;
  }

  /** The tick of a wheel after another, a key that is held: one step with the one before; null where it is not of its gesture. */
  #merged(command: Command): Outcome<Song> | null {
    const { history, pending, song } = this.#state;
    const last = history.undo.at(-1);
    if (!last || !this.#held || this.#held.id !== last.id || pending.at(-1)?.id !== last.id)
      return null;
    const target = targetOf(command.name);
    if (target === null || target !== targetOf(last.name)) return null;
    const merged = mergeCommands(last, command);
    if (!merged) return null;
    const before = apply(song, { ...last, edits: last.inverse });
    if (!before.ok) return null;
    const applied = apply(before.value.song, merged);
    if (!applied.ok) return null;
    const next = [...pending.slice(0, -1), merged];
    this.store.setState({
      song: applied.value.song,
      shown: applied.value.song,
      history: {
        undo: [...history.undo.slice(0, -1), { ...merged, inverse: applied.value.inverse }],
        redo: [],
      },
      pending: next,
    });
    keepPending(this.id, next);
    return success(applied.value.song);
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
  }

  redo(): void {
    this.#step(redoCommand(this.#state.history, crypto.randomUUID()));
  }

  #step(command: Command | undefined): void {
    if (!command || !this.#take(command).ok) return;
    this.#hold(null);
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
    const applied = apply(song, command);
    if (!applied.ok) {
      this.endPreview();
      return applied;
    }
    const next = [...pending, command];
    this.store.setState({
      song: applied.value.song,
      shown: applied.value.song,
      history: record(history, { ...command, inverse: applied.value.inverse }),
      pending: next,
    });
    keepPending(this.id, next);
    return success(applied.value.song);
  }

  async #send(): Promise<void> {
    if (this.#sending || this.#closed) return;
    this.#sending = true;
    clearTimeout(this.#retry);
    try {
      while (this.#ready().length > 0 && this.#maySend()) await this.#sendOnce();
      // A server that is lost is so until it has answered.
      const held = this.#state.pending.length > 0;
      if (this.#maySend() && !(held && this.#state.saving.kind === 'lost'))
        this.store.setState({
          saving: { kind: held ? 'saving' : 'saved' },
        });
    } catch (error) {
      this.#notSent(error);
    } finally {
      this.#sending = false;
    }
  }

  #maySend(): boolean {
    const { kind } = this.#state.saving;
    return kind !== 'elsewhere' && kind !== 'refused';
  }

  /** What may be sent now: all but the step that the next one may still be merged with. */
  #ready(): readonly Command[] {
    const { pending } = this.#state;
    return this.#held && pending.at(-1)?.id === this.#held.id ? pending.slice(0, -1) : pending;
  }

  async #sendOnce(): Promise<void> {
    if (this.#state.saving.kind !== 'lost') this.store.setState({ saving: { kind: 'saving' } });
    const batch = this.#ready().slice(0, 100);
    const { revision } = await sendCommands(this.id, this.#revision, batch);
    this.#revision = revision;
    const pending = this.#state.pending.slice(batch.length);
    keepPending(this.id, pending);
    this.store.setState({ pending });
  }

  #notSent(error: unknown): void {
    if (error instanceof Refused && error.status === 409) {
      this.store.setState({ saving: { kind: 'elsewhere' } });
    } else if (error instanceof Refused && error.status < 500) {
      this.store.setState({ saving: { kind: 'refused', sentence: error.message } });
    } else {
      if (!(error instanceof Refused || error instanceof ServerLost)) throw error;
      this.store.setState({ saving: { kind: 'lost' } });
      this.#retry = setTimeout(() => void this.#send(), retryMs);
    }
  }

  /** Gives up what the server will not take and goes on from what it has. */
  async takeServerState(): Promise<void> {
    const opened = await readOpened(this.id);
    this.#revision = opened.revision;
    keepPending(this.id, []);
    this.store.setState({
      song: opened.song,
      shown: opened.song,
      history: replay(opened.log),
      pending: [],
      saving: { kind: 'saved' },
    });
  }

  close(): void {
    this.flush();
    this.#closed = true;
    clearTimeout(this.#retry);
  }
}
