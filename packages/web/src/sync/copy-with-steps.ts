import { FailureError } from '@pannet/core/outcome';
import { apply, type Command } from '@pannet/core/song/commands';
import { readSong } from '@pannet/core/song/saved-song';
import type { Song } from '@pannet/core/song/song';
import { copySong, openSong, sendCommands } from '../api/songs.ts';
import { inBatches } from './step-size.ts';

export interface CopyMade {
  readonly songId: string;
  readonly title: string;
  /** Names of steps that did not fit even what the song was. */
  readonly lost: readonly string[];
}

/** A copy of a song as it was at a revision, which steps are put into. */
export class SongCopy {
  #song: Song;
  #revision = 0;
  readonly #lost: string[] = [];

  private constructor(song: Song) {
    this.#song = song;
  }

  static async of({ id, title }: Pick<Song, 'id' | 'title'>, revision: number): Promise<SongCopy> {
    const copy = await copySong(id, revision, `${title.slice(0, 100)} (my steps)`);
    const read = readSong((await openSong(copy.id)).song);
    if (!read.ok) throw new FailureError(read.error);
    return new SongCopy({ ...read.value, id: copy.id });
  }

  /** Puts those of the steps into it that fit. */
  async add(commands: readonly Command[]): Promise<void> {
    const fitting: Command[] = [];
    for (const command of commands) {
      const applied = apply(this.#song, command);
      if (!applied.ok) {
        this.#lost.push(command.name);
        continue;
      }
      this.#song = applied.value.song;
      // The first song may know them by their own ids.
      fitting.push({ ...command, id: crypto.randomUUID() });
    }
    for (const batch of inBatches(fitting))
      this.#revision = (await sendCommands(this.#song.id, this.#revision, batch)).revision;
  }

  get made(): CopyMade {
    return { songId: this.#song.id, title: this.#song.title, lost: this.#lost };
  }
}
