import type { Edit } from '@pannet/core/song/edits/edit';
import type { Song } from '@pannet/core/song/song';
import { createStore } from 'zustand/vanilla';
import type { Playback } from '../playback/playback.ts';
import type { SongSession } from '../sync/song-session.ts';
import type { Pen } from './pen.ts';

/** Whether what is held while the song plays is written along it, in the place of being set for all of it. */
export class Writing {
  readonly store = createStore<{ readonly on: boolean }>(() => ({ on: false }));
  readonly #session: SongSession;
  readonly #playback: Playback;
  readonly #busy: () => boolean;
  /** Fetched when it is first asked for. */
  #pen: Pen | null = null;

  /** @param busy while something is tried, what is held belongs to that */
  constructor(session: SongSession, playback: Playback, busy: () => boolean) {
    this.#session = session;
    this.#playback = playback;
    this.#busy = busy;
  }

  /** It is on once it can write. */
  async turn(on: boolean): Promise<void> {
    if (on && !this.#pen) {
      const { Pen: Kind } = await import('./pen.ts');
      this.#pen ??= new Kind(this.#session, this.#playback, this.#busy);
    }
    this.store.setState({ on });
  }

  /** What is heard while something is written; null while nothing is. */
  get heard(): Song | null {
    return this.#pen?.heard ?? null;
  }

  /** @returns whether what these edits would show is written */
  preview(edits: readonly Edit[]): boolean {
    if (!this.#pen) return false;
    return (this.store.getState().on || this.#pen.writes) && this.#pen.preview(edits);
  }

  close(): void {
    this.#pen?.close();
  }

  /** A step of work. @returns whether that is done with: it is of the control that is let go of, and was written */
  done(edits: readonly Edit[]): boolean {
    return this.#pen?.done(edits) ?? false;
  }
}
