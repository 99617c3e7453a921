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

/** A copy of a song as it was at a revision, with steps that fit that. */
export async function copyWithSteps(
  { id, title }: Pick<Song, 'id' | 'title'>,
  revision: number,
  commands: readonly Command[],
): Promise<CopyMade> {
  const copy = await copySong(id, revision, `${title.slice(0, 100)} (my steps)`);
  const read = readSong((await openSong(copy.id)).song);
  if (!read.ok) throw new FailureError(read.error);
  let song = read.value;
  const lost: string[] = [];
  const fitting: Command[] = [];
  for (const command of commands) {
    const applied = apply(song, command);
    if (!applied.ok) {
      lost.push(command.name);
      continue;
    }
    song = applied.value.song;
    // The first song may know them by their own ids.
    fitting.push({ ...command, id: crypto.randomUUID() });
  }
  let base = 0;
  for (const batch of inBatches(fitting))
    base = (await sendCommands(copy.id, base, batch)).revision;
  return { songId: copy.id, title: song.title, lost };
}
