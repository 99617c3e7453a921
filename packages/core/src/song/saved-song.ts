import * as z from 'zod';
import { failure, success, type Outcome } from '../outcome.ts';
import { describe } from '../parameters/parameter.ts';
import { read } from '../parameters/reading.ts';
import { checkSong, songDescription, songFormat, type Song } from './song.ts';
import { toVersion2 } from './migrations/to-version-2.ts';
import { toVersion3 } from './migrations/to-version-3.ts';

type Saved = Readonly<Record<string, unknown>>;
type Migration = (saved: Saved) => Saved;

/** What the migrations reach into, whatever else stands there: read first, then trusted. */
const reached = z.looseObject({
  parts: z.record(
    z.string(),
    z.looseObject({
      image: z.looseObject({
        voices: z.array(z.looseObject({ tuner: z.looseObject({}) })),
        stage: z.looseObject({}),
      }),
    }),
  ),
});

/** `migrations[n]` takes a song saved in format n + 1 to format n + 2; each has a frozen song beside its test. */
const migrations: readonly Migration[] = [toVersion2, toVersion3];

/** Reads a song as it was saved by this or an older version. A newer one is refused, and so is one that contradicts itself. */
export function readSong(saved: unknown): Outcome<Song> {
  if ((saved as { readonly formatVersion?: unknown } | null)?.formatVersion !== songFormat) {
    const old = migrate(
      saved,
      migrations.map(() => (song: Saved) => song),
    );
    if (!old.ok) return old;
    const reachable = read(reached, saved, '', 'A song');
    if (!reachable.ok) return reachable;
  }
  const migrated = migrate(saved, migrations);
  if (!migrated.ok) return migrated;
  const song = read(songDescription, migrated.value, '', 'A song');
  return song.ok ? checkSong(song.value) : song;
}

/** Takes a saved document through all migrations that it still needs; the newest format is one past their number. */
export function migrate(saved: unknown, steps: readonly Migration[]): Outcome<Saved> {
  if (typeof saved !== 'object' || saved === null || !('formatVersion' in saved))
    return failure('not-a-song', 'This is not a saved song: it has no “formatVersion”.');
  const version = saved.formatVersion;
  if (typeof version !== 'number' || !Number.isInteger(version) || version < 1)
    return failure(
      'not-a-song',
      `“formatVersion” must be a whole number from 1; it was ${describe(version)}.`,
    );
  const newest = steps.length + 1;
  if (version > newest)
    return failure(
      'newer-format',
      `This song was saved by a newer Pannet (format ${version}); this one reads up to format ${newest}.`,
    );
  return success(
    steps
      .slice(version - 1)
      .reduce<Saved>(
        (song, step, n) => ({ ...step(song), formatVersion: version + n + 1 }),
        saved as Saved,
      ),
  );
}
