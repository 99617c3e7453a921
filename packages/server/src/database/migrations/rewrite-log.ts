import type { QueryRunner } from 'typeorm';

interface SavedEdit {
  readonly [key: string]: unknown;
}

/**
 * Songs are migrated as they are read. Their logs are migrated with the database, so that a step from before can still be
 * taken back.
 */
export async function rewriteLog(
  runner: QueryRunner,
  migrate: (edit: SavedEdit) => SavedEdit,
): Promise<void> {
  const rows = (await runner.query('SELECT id, edits, inverse FROM commands')) as {
    id: string;
    edits: SavedEdit[];
    inverse: SavedEdit[];
  }[];
  for (const { id, edits, inverse } of rows)
    await runner.query('UPDATE commands SET edits = $2, inverse = $3 WHERE id = $1', [
      id,
      JSON.stringify(edits.map(migrate)),
      JSON.stringify(inverse.map(migrate)),
    ]);
}
