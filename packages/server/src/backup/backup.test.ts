import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Recording } from '@pannet/core/song/song';
import { findPostgres } from '@pannet/launcher/debian';
import pg from 'pg';
import { extract, pack } from 'tar-stream';
import { databaseOptions } from '../database/data-source.ts';
import { connectAndMigrate } from '../database/migrate.ts';
import { freshDatabase, recordingBytes, RunningServer, titled } from '../running-server.fixture.ts';
import type { Manifest } from './manifest.ts';
import { readBackup } from './read-backup.ts';
import { backedUpTables } from './tables.ts';
import { writeBackup } from './write-backup.ts';

const server = new RunningServer();
const folder = mkdtempSync(join(tmpdir(), 'pannet-backup-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const quiet = () => {};
let recording: Recording;
const file = join(folder, 'whole.backup');

beforeAll(async () => {
  recording = (await server.upload(recordingBytes(200_000, 0.11))).body as unknown as Recording;
  // Titles hold what could break a format of lines and columns.
  const id = await server.newSong('tab\there, “line”\u2028 and \\. end');
  const edits = [
    { kind: 'set-rate', rateHz: 48_000 },
    { kind: 'put-recording', recording },
  ];
  await server.call('POST', `/songs/${id}/commands`, {
    baseRevision: 0,
    commands: [{ ...titled('in'), edits }, titled('second')],
  });
  await writeBackup(server.databaseUrl, file, '0.1.0', quiet);
});

async function query<Row extends object>(url: string, text: string): Promise<Row[]> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  try {
    return (await client.query<Row>(text)).rows;
  } finally {
    await client.end();
  }
}

/** Everything that a backup must bring back, as text. */
async function contentsOf(url: string): Promise<string> {
  const tables = [];
  for (const { name, orderBy } of backedUpTables)
    tables.push(await query(url, `SELECT t::text FROM ${name} AS t ORDER BY ${orderBy}`));
  const audio = await query<{ data: Buffer }>(
    url,
    'SELECT data FROM recording_chunks ORDER BY recording_id, index',
  );
  const hash = createHash('sha256');
  for (const { data } of audio) hash.update(data);
  return JSON.stringify([tables, hash.digest('hex')]);
}

interface Entry {
  readonly name: string;
  readonly bytes: Buffer;
}

async function entriesOf(path: string): Promise<Entry[]> {
  const entries: Entry[] = [];
  const archive = extract();
  archive.end(readFileSync(path));
  for await (const entry of archive) {
    const pieces: Buffer[] = [];
    for await (const piece of entry as AsyncIterable<Buffer>) pieces.push(piece);
    entries.push({ name: entry.header.name, bytes: Buffer.concat(pieces) });
  }
  return entries;
}

/** Writes an archive of these entries. @returns its path */
async function archiveOf(entries: readonly Entry[]): Promise<string> {
  const archive = pack();
  for (const { name, bytes } of entries) archive.entry({ name }, bytes);
  archive.finalize();
  const pieces: Buffer[] = [];
  for await (const piece of archive as AsyncIterable<Buffer>) pieces.push(piece);
  const path = join(folder, 'changed.backup');
  writeFileSync(path, Buffer.concat(pieces));
  return path;
}

/** The backup with its manifest changed. */
async function withManifest(change: (manifest: Manifest) => void): Promise<string> {
  const [{ bytes }, ...rest] = await entriesOf(file);
  const manifest = JSON.parse(bytes.toString()) as Manifest;
  change(manifest);
  return archiveOf([
    { name: 'manifest.json', bytes: Buffer.from(JSON.stringify(manifest)) },
    ...rest,
  ]);
}

/** A table's rows replaced by others, with a manifest that agrees. */
async function withRows(table: string, rows: string, columns?: string[]): Promise<string> {
  const bytes = Buffer.from(rows);
  const entries = await entriesOf(file);
  const manifest = JSON.parse(entries[0].bytes.toString()) as Manifest;
  const piece = manifest.pieces.find(({ name }) => name === `tables/${table}.copy`)!;
  Object.assign(piece, {
    bytes: bytes.length,
    sha256: createHash('sha256').update(bytes).digest('hex'),
  });
  const described = manifest.tables.find(({ name }) => name === table)!;
  described.rows = rows.split('\n').length - 1;
  if (columns) described.columns = columns;
  const changed = entries.map((entry) =>
    entry.name === piece.name ? { name: entry.name, bytes } : entry,
  );
  changed[0] = { name: 'manifest.json', bytes: Buffer.from(JSON.stringify(manifest)) };
  return archiveOf(changed);
}

describe('a backup', () => {
  test('brings back every row and every byte, and can be read by its owner alone', async () => {
    const url = await freshDatabase();
    const { songs, recordings } = await readBackup(url, file, quiet);
    expect({ songs, recordings }).toEqual({ songs: 1, recordings: 1 });
    expect(await contentsOf(url)).toBe(await contentsOf(server.databaseUrl));
    expect(statSync(file).mode & 0o777).toBe(0o600);
    // New recordings get ids of their own.
    const [{ next }] = await query<{ next: string }>(
      url,
      `SELECT nextval('recordings_id_seq') AS next`,
    );
    const [{ max }] = await query<{ max: string }>(url, 'SELECT max(id) FROM recordings');
    expect(Number(next)).toBeGreaterThan(Number(max));
  });

  test('is a tar whose pieces have the hashes of its manifest, by another program’s reading', async () => {
    // Source: GNU tar and coreutils’ sha256sum.
    const listed = spawnSync('tar', ['-tf', file], { encoding: 'utf8' }).stdout.trim().split('\n');
    const manifest = JSON.parse(
      spawnSync('tar', ['-xOf', file, 'manifest.json'], { encoding: 'utf8' }).stdout,
    ) as Manifest;
    expect(listed).toEqual(['manifest.json', ...manifest.pieces.map(({ name }) => name)]);
    for (const { name, sha256, bytes } of manifest.pieces) {
      const piece = spawnSync('tar', ['-xOf', file, name], { maxBuffer: 1e8 }).stdout;
      expect(piece.length).toBe(bytes);
      const sum = spawnSync('sha256sum', { input: piece, encoding: 'utf8' }).stdout;
      expect(sum.split(' ')[0]).toBe(sha256);
    }
    expect(listed).toContain(`recordings/${recording.hash}`);
  });

  test('holds neither sessions nor what signs them', async () => {
    const names = (await entriesOf(file)).map(({ name }) => name);
    expect(names.filter((name) => /session|secret/.test(name))).toEqual([]);
  });

  test('of a database that is none of Pannet’s is refused', async () => {
    const url = await freshDatabase();
    await expect(writeBackup(url, join(folder, 'none.backup'), '0', quiet)).rejects.toThrow(
      /none of Pannet/,
    );
  });
});

describe('a restore refuses, in a sentence', () => {
  const refused = async (path: string, sentence: RegExp) => {
    const url = await freshDatabase();
    await expect(readBackup(url, path, quiet)).rejects.toThrow(sentence);
    const songs = await query(url, 'SELECT 1 FROM songs').catch(() => []);
    expect(songs).toEqual([]);
  };

  test.each([1, 600, 5000, 200_000])('a backup of which %i bytes are left', async (length) => {
    const path = join(folder, 'short.backup');
    writeFileSync(path, readFileSync(file).subarray(0, length));
    await refused(path, /is damaged|not whole|is no backup/);
  });

  test('one in which a single bit of the audio is another', async () => {
    const bytes = readFileSync(file);
    bytes[bytes.length - 100_000] ^= 1;
    const path = join(folder, 'bit.backup');
    writeFileSync(path, bytes);
    await refused(path, /is damaged: its hash is another/);
  });

  test('one of a later version, by its migrations or by its layout', async () => {
    const later = await withManifest((manifest) => manifest.migrations.push('Later1999999999999'));
    await refused(later, /later version of Pannet/);
    await refused(await withManifest((manifest) => (manifest.archiveVersion = 2)), /later version/);
  });

  test('another program’s, and one with none of our migrations', async () => {
    await refused(await archiveOf([{ name: 'a.txt', bytes: Buffer.from('x') }]), /is no backup/);
    await refused(
      await withManifest((manifest) => (manifest.migrations = ['Theirs1'])),
      /not made by any version/,
    );
    await refused(
      await withManifest((manifest) => (manifest.migrations = [])),
      /manifest is damaged/,
    );
    const text = join(folder, 'list.txt');
    writeFileSync(text, 'a shopping list');
    await refused(text, /is no backup/);
    await refused(join(folder, 'not-there'), /cannot be read/);
  });

  test('one with a table, or a column, that is not ours', async () => {
    await refused(await withRows('recipes', '', ['id', 'surprise']), /is none of Pannet/);
    const strange = await withManifest((manifest) => {
      const table = manifest.tables.find(({ name }) => name === 'recipes')!;
      const piece = manifest.pieces.find(({ name }) => name === 'tables/recipes.copy')!;
      table.name = 'pg_authid';
      piece.name = 'tables/pg_authid.copy';
    });
    await refused(strange, /is missing|is none of Pannet/);
  });

  test('one whose rows do not fit, or whose audio is missing', async () => {
    await refused(await withRows('recipes', 'not\ta\trow\n'), /Its rows do not fit/);
    const entries = (await entriesOf(file)).filter(({ name }) => !name.startsWith('recordings/'));
    await refused(await archiveOf(entries), /not whole/);
    const unlisted = await withManifest((manifest) => {
      manifest.pieces = manifest.pieces.filter(({ name }) => !name.startsWith('recordings/'));
    });
    await refused(unlisted, /audio of recording .* is missing/);
  });

  test('a database that has tables already', async () => {
    await expect(readBackup(server.databaseUrl, file, quiet)).rejects.toThrow(/empty database/);
  });
});

describe('a dump of an earlier version', () => {
  const dump = (url: string, path: string) =>
    spawnSync(
      join(findPostgres()!, 'pg_dump'),
      ['--format=custom', '--compress=1', '--no-owner', `--file=${path}`, `--dbname=${url}`],
      { encoding: 'utf8' },
    );
  beforeAll(() => {
    process.env.PANNET_PG_RESTORE = join(findPostgres()!, 'pg_restore');
  });

  test('is read as it was, and brought up to this version', async () => {
    const path = join(folder, 'old.backup');
    expect(dump(server.databaseUrl, path).status).toBe(0);
    const url = await freshDatabase();
    await readBackup(url, path, quiet);
    expect(await contentsOf(url)).toBe(await contentsOf(server.databaseUrl));
    const tables = await query(
      url,
      `SELECT 1 FROM information_schema.tables WHERE table_name = 'sessions'`,
    );
    expect(tables.length).toBe(1);
    // No constraint stays loosened.
    const loose = await query(
      url,
      `SELECT conname FROM pg_constraint WHERE condeferrable AND conrelid <> 'recording_chunks'::regclass`,
    );
    expect(loose).toEqual([]);
  });

  test('of another program is refused', async () => {
    const other = await freshDatabase();
    await query(other, 'CREATE TABLE songs (id int); INSERT INTO songs VALUES (1)');
    const path = join(folder, 'other.backup');
    expect(dump(other, path).status).toBe(0);
    await expect(readBackup(await freshDatabase(), path, quiet)).rejects.toThrow(/no migrations/);
  });

  test('that would run a program does not get to', async () => {
    const hostile = await freshDatabase();
    await (await connectAndMigrate(hostile, databaseOptions(hostile))).destroy();
    const trace = join(folder, 'ran');
    const admin = new URL(process.env.PANNET_TESTS_ADMIN_URL as string);
    admin.pathname = new URL(hostile).pathname;
    await query(
      admin.href,
      `CREATE FUNCTION run() RETURNS boolean LANGUAGE plpgsql AS $$
         BEGIN COPY (SELECT 1) TO PROGRAM 'touch ${trace}'; RETURN true; END $$;
       INSERT INTO recipes (id, name, file) VALUES (gen_random_uuid(), 'x', '{}');
       ALTER TABLE recipes ADD CONSTRAINT hostile CHECK (run()) NOT VALID`,
    );
    const path = join(folder, 'hostile.backup');
    expect(dump(admin.href, path).status).toBe(0);
    const url = await freshDatabase();
    await readBackup(url, path, quiet);
    expect(() => statSync(trace)).toThrow();
    expect(await query(url, 'SELECT name FROM recipes')).toEqual([{ name: 'x' }]);
    expect(await query(url, `SELECT 1 FROM pg_proc WHERE proname = 'run'`)).toEqual([]);
  });

  test('of a later version is refused', async () => {
    const later = await freshDatabase();
    await (await connectAndMigrate(later, databaseOptions(later))).destroy();
    await query(later, `INSERT INTO migrations (timestamp, name) VALUES (9, 'Later9')`);
    const path = join(folder, 'later.backup');
    expect(dump(later, path).status).toBe(0);
    await expect(readBackup(await freshDatabase(), path, quiet)).rejects.toThrow(/later version/);
  });
});
