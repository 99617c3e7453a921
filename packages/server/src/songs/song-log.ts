import type { LoggedCommand } from '@pannet/core/song/commands';
import type { EntityManager } from 'typeorm';

/** A page of a song's log, oldest first. */
export interface LogPage {
  readonly log: readonly LoggedCommand[];
  /** Revision of the newest command that stands before this page; null where it begins with the first. */
  readonly earlier: number | null;
}

/** A page ends with whichever comes first; it has at least one command, however large. */
const mostCommands = 500;
const mostBytes = 2_000_000;

/** The newest commands up to a revision: as many as one answer can bear. */
export async function logPage(
  manager: EntityManager,
  songId: string,
  upTo: number,
): Promise<LogPage> {
  const { log, earlier } = await logPageText(manager, songId, upTo);
  return { log: log.map((text) => JSON.parse(text) as LoggedCommand), earlier };
}

/** The same, each command as its JSON: what the database has as text is not parsed and written again. */
export async function logPageText(
  manager: EntityManager,
  songId: string,
  upTo: number,
): Promise<{ readonly log: readonly string[]; readonly earlier: number | null }> {
  const rows = (await manager.query(
    `SELECT id, revision, name, role, edits::text AS edits, inverse::text AS inverse FROM commands
     WHERE song_id = $1 AND revision <= $2 AND revision >= (
       SELECT coalesce(min(revision), 0) FROM (
         SELECT revision, row_number() OVER newest AS place,
                sum(octet_length(edits::text) + octet_length(inverse::text)) OVER newest AS bytes
         FROM (SELECT * FROM commands WHERE song_id = $1 AND revision <= $2
               ORDER BY revision DESC LIMIT ${mostCommands}) AS last
         WINDOW newest AS (ORDER BY revision DESC)
       ) AS sized WHERE place = 1 OR bytes <= ${mostBytes})
     ORDER BY revision`,
    [songId, upTo],
  )) as LogRow[];
  const [first] = rows;
  return {
    log: rows.map(
      ({ id, name, role, edits, inverse }) =>
        `{"id":"${id}","name":${JSON.stringify(name)},"role":"${role}","edits":${edits},"inverse":${inverse}}`,
    ),
    earlier: first && first.revision > 1 ? first.revision - 1 : null,
  };
}

/** A command as it goes into the log: its JSON was written once, and is not written again. */
export interface LogRow {
  readonly id: string;
  readonly revision: number;
  readonly name: string;
  readonly role: string;
  readonly edits: string;
  readonly inverse: string;
}

export async function appendToLog(
  manager: EntityManager,
  songId: string,
  account: string | null,
  rows: readonly LogRow[],
): Promise<void> {
  // As values of their own: the driver takes long to write megabytes into an array.
  const parameters: unknown[] = [songId, account];
  const values = rows.map((row) => {
    const first = parameters.push(row.id, row.revision, row.name, row.role, row.edits, row.inverse);
    const [id, revision, name, role, edits, inverse] = [5, 4, 3, 2, 1, 0].map(
      (back) => `$${first - back}`,
    );
    return `($1, $2, ${id}, ${revision}, ${name}, ${role}, ${edits}, ${inverse})`;
  });
  await manager.query(
    `INSERT INTO commands (song_id, account, id, revision, name, role, edits, inverse)
     VALUES ${values.join(', ')}`,
    parameters,
  );
}

/** Where commands of a request stand in logs already: of this song by revision, or of another. */
export async function findInLogs(
  manager: EntityManager,
  ids: readonly string[],
): Promise<readonly { readonly id: string; readonly songId: string; readonly revision: number }[]> {
  return (await manager.query(
    `SELECT id, song_id AS "songId", revision FROM commands WHERE id = ANY($1::uuid[]) ORDER BY revision`,
    [ids],
  )) as { id: string; songId: string; revision: number }[];
}
