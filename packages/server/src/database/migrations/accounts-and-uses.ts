import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * Who may do what; which recordings a song needs, by its document or by any step of its log; who brought a recording. What a
 * song needs is read off what is there.
 */
export class AccountsAndUses1764300000000 implements MigrationInterface {
  async up(runner: QueryRunner): Promise<void> {
    // Every step of every log is read; that may take longer than anything else may.
    await runner.query('SET LOCAL statement_timeout = 0');
    await runner.query(`
      CREATE TABLE accounts (
        id uuid PRIMARY KEY,
        name text NOT NULL UNIQUE,
        password_hash text NOT NULL,
        created_at timestamptz NOT NULL DEFAULT now()
      )`);
    // As connect-pg-simple has it; the account is beside it, so that all of one's sessions can be ended.
    await runner.query(`
      CREATE TABLE sessions (
        sid text PRIMARY KEY,
        sess json NOT NULL,
        expire timestamptz NOT NULL
      )`);
    await runner.query('CREATE INDEX sessions_expire ON sessions (expire)');
    await runner.query('CREATE TABLE secrets (name text PRIMARY KEY, value text NOT NULL)');
    await runner.query(
      'ALTER TABLE songs ADD COLUMN owner_id uuid REFERENCES accounts (id) ON DELETE SET NULL',
    );
    await runner.query(
      'ALTER TABLE recipes ADD COLUMN owner_id uuid REFERENCES accounts (id) ON DELETE CASCADE',
    );
    // Counted once a change, not from a document of megabytes each time that songs are listed.
    await runner.query('ALTER TABLE songs ADD COLUMN parts integer NOT NULL DEFAULT 0');
    await runner.query(
      `UPDATE songs SET parts = coalesce(json_array_length(document->'partOrder'), 0)`,
    );
    // The name, not the account: the log outlives it.
    await runner.query('ALTER TABLE commands ADD COLUMN account text');
    await runner.query(`
      CREATE TABLE shares (
        song_id uuid NOT NULL REFERENCES songs (id) ON DELETE CASCADE,
        account_id uuid NOT NULL REFERENCES accounts (id) ON DELETE CASCADE,
        may text NOT NULL CHECK (may IN ('read', 'work')),
        PRIMARY KEY (song_id, account_id)
      )`);
    await runner.query(`
      CREATE TABLE recording_uses (
        song_id uuid NOT NULL REFERENCES songs (id) ON DELETE CASCADE,
        hash char(64) NOT NULL REFERENCES recordings (hash),
        PRIMARY KEY (song_id, hash)
      )`);
    await runner.query('CREATE INDEX recording_uses_hash ON recording_uses (hash)');
    await runner.query(`
      CREATE TABLE recording_holders (
        account_id uuid NOT NULL REFERENCES accounts (id) ON DELETE CASCADE,
        hash char(64) NOT NULL REFERENCES recordings (hash) ON DELETE CASCADE,
        PRIMARY KEY (account_id, hash)
      )`);
    // A recording that was uploaded again is needed again: what is purged is counted from here.
    await runner.query(
      'ALTER TABLE recordings ADD COLUMN asked_at timestamptz NOT NULL DEFAULT now()',
    );
    // Whatever has the form of a hash and is one that is kept is needed: documents and logs of any format.
    await runner.query(`
      INSERT INTO recording_uses (song_id, hash)
      SELECT DISTINCT text.song_id, recordings.hash
      FROM (
        SELECT id AS song_id, document::text AS words FROM songs
        UNION ALL SELECT song_id, edits::text FROM commands
        UNION ALL SELECT song_id, inverse::text FROM commands
      ) AS text
      CROSS JOIN LATERAL regexp_matches(text.words, '"([0-9a-f]{64})"', 'g') AS named
      JOIN recordings ON recordings.hash = named[1]`);
  }

  async down(runner: QueryRunner): Promise<void> {
    await runner.query('DROP TABLE recording_holders, recording_uses, shares, secrets, sessions');
    await runner.query('ALTER TABLE recordings DROP COLUMN asked_at');
    await runner.query('ALTER TABLE commands DROP COLUMN account');
    await runner.query('ALTER TABLE recipes DROP COLUMN owner_id');
    await runner.query('ALTER TABLE songs DROP COLUMN owner_id, DROP COLUMN parts');
    await runner.query('DROP TABLE accounts');
  }
}
