import type { MigrationInterface, QueryRunner } from 'typeorm';

export class FirstTables1763900000000 implements MigrationInterface {
  readonly name = 'FirstTables1763900000000';

  async up(runner: QueryRunner): Promise<void> {
    // json, not jsonb: the order of keys is part of a document.
    await runner.query(`
      CREATE TABLE songs (
        id uuid PRIMARY KEY,
        title text NOT NULL,
        document json NOT NULL,
        revision integer NOT NULL,
        created_at timestamptz NOT NULL DEFAULT now(),
        updated_at timestamptz NOT NULL DEFAULT now(),
        deleted_at timestamptz
      )`);
    await runner.query(`
      CREATE TABLE commands (
        id uuid PRIMARY KEY,
        song_id uuid NOT NULL REFERENCES songs (id) ON DELETE CASCADE,
        revision integer NOT NULL,
        name text NOT NULL,
        role text NOT NULL CHECK (role IN ('do', 'undo', 'redo')),
        edits json NOT NULL,
        inverse json NOT NULL,
        at timestamptz NOT NULL DEFAULT now(),
        UNIQUE (song_id, revision)
      )`);
    await runner.query(`
      CREATE TABLE recordings (
        id bigserial PRIMARY KEY,
        hash char(64) NOT NULL UNIQUE,
        bytes bigint NOT NULL,
        layout json NOT NULL,
        created_at timestamptz NOT NULL DEFAULT now()
      )`);
    // Rows of an upload come before its recording; both become visible in the same commit, or neither does.
    await runner.query(`
      CREATE TABLE recording_chunks (
        recording_id bigint NOT NULL REFERENCES recordings (id) ON DELETE CASCADE DEFERRABLE INITIALLY DEFERRED,
        index integer NOT NULL,
        data bytea NOT NULL,
        PRIMARY KEY (recording_id, index)
      )`);
    // Audio does not compress; stored out of line as it is, a part of a chunk can be read alone.
    await runner.query(`ALTER TABLE recording_chunks ALTER COLUMN data SET STORAGE EXTERNAL`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('DROP TABLE recording_chunks, recordings, commands, songs');
  }
}
