/** A table that a backup holds, and the order of its rows in it. */
export interface BackedUpTable {
  readonly name: string;
  readonly orderBy: string;
}

/**
 * The tables of a backup, each after those that it refers to. Recordings' bytes are pieces of their own. Sessions and the
 * secret that signs them stay out: whoever restores signs in anew.
 */
export const backedUpTables: readonly BackedUpTable[] = [
  { name: 'accounts', orderBy: 'id' },
  { name: 'songs', orderBy: 'id' },
  { name: 'commands', orderBy: 'song_id, revision' },
  { name: 'recordings', orderBy: 'id' },
  { name: 'recording_uses', orderBy: 'song_id, hash' },
  { name: 'recording_holders', orderBy: 'account_id, hash' },
  { name: 'shares', orderBy: 'song_id, account_id' },
  { name: 'recipes', orderBy: 'id' },
];

/** A name as SQL takes it, whatever is in it. */
export function quoted(name: string): string {
  return `"${name.replaceAll('"', '""')}"`;
}

interface Queries {
  query(text: string, values?: unknown[]): Promise<{ rows: unknown[] }>;
}

/** The columns of a table in the public schema, in their order; none where there is no such table. */
export async function columnsOf(client: Queries, table: string): Promise<string[]> {
  const { rows } = await client.query(
    `SELECT column_name AS name FROM information_schema.columns
     WHERE table_schema = 'public' AND table_name = $1 ORDER BY ordinal_position`,
    [table],
  );
  return (rows as { name: string }[]).map(({ name }) => name);
}
