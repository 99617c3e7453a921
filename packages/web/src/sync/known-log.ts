import type { LoggedCommand } from '@pannet/core/song/commands';
import { openLog, type OpenedSong } from '../api/songs.ts';

/** What is known here of a song's log: its newest steps, and more when more is asked for. */
export class KnownLog {
  readonly #songId: string;
  #steps: readonly LoggedCommand[];
  /** Revision of the newest step that is not known; null where all are. */
  #earlier: number | null;
  #fetching = false;

  constructor(songId: string, { log, earlier }: Pick<OpenedSong, 'log' | 'earlier'>) {
    this.#songId = songId;
    this.#steps = log;
    this.#earlier = earlier;
  }

  get steps(): readonly LoggedCommand[] {
    return this.#steps;
  }

  /** What the server has taken since. */
  append(steps: readonly LoggedCommand[]): void {
    this.#steps = [...this.#steps, ...steps];
  }

  /** Fetches a page of earlier steps. @returns whether there are some more now; without the server there are none */
  async fetchEarlier(): Promise<boolean> {
    if (this.#earlier === null || this.#fetching) return false;
    this.#fetching = true;
    try {
      const { log, earlier } = await openLog(this.#songId, this.#earlier);
      this.#steps = [...log, ...this.#steps];
      this.#earlier = log.length > 0 ? earlier : null;
      return log.length > 0;
    } catch {
      // Tried again with the next step that is taken back.
      return false;
    } finally {
      this.#fetching = false;
    }
  }
}
