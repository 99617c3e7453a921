import type { MigrationInterface, QueryRunner } from 'typeorm';

/** The migration before this one added `songs.parts` only in its later form; databases of the earlier form get it here. */
export class SongParts1764700000000 implements MigrationInterface {
  async up(runner: QueryRunner): Promise<void> {
    if (await runner.hasColumn('songs', 'parts')) return;
    await runner.query('SET LOCAL statement_timeout = 0');
    await runner.query('ALTER TABLE songs ADD COLUMN parts integer NOT NULL DEFAULT 0');
    await runner.query(
      `UPDATE songs SET parts = coalesce(json_array_length(document->'partOrder'), 0)`,
    );
  }

  /** The column belongs to the migration before this one. */
  async down(): Promise<void> {}
}
