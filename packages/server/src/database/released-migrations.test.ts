import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { expect, test } from '@jest/globals';
import { DataSource } from 'typeorm';
import { freshDatabase } from '../running-server.fixture.ts';
import { databaseOptions, migrationNames } from './data-source.ts';
import { connectAndMigrate } from './migrate.ts';

/**
 * SHA-256 of each released migration, without comments and white space. A database that has run one never runs it again, so
 * a change here would reach new databases only: add a migration instead.
 */
const released: Readonly<Record<string, string>> = {
  'accounts-and-uses': 'ad6c9ace542fdb4e9ea742d542961c879cb8abe7eba4f8c36952f6b1bfabae7a',
  'fair-comparison': '504c0443013ef563c16e10c398fe4028fc91db8d8e050736f291c0f8924bfbaf',
  'first-tables': '2a89a5323fadb7eae22519b8021286613f694aad8206acaedc3b573c06c729f2',
  'own-recipes': 'c7ec7410cc5e05e031a0424ee468fcfd4acfd25b738daa93ad1626be5f973d68',
  'recipes-stay': 'aed40b1afdd764f37cfb2a597eabefd27a981d8f246bdced8afe1ddbfb6fa00d',
  'song-parts': '7d3403d40ff617a9b1edce4dd38b1dc65b8e179b131ebf19580d393d71c78935',
  'voices-in-full': '94f25cfd4d86767a6280d538cedbaf46b111813b4a39bb85eb5c528f3d688749',
};

const folder = new URL('migrations/', import.meta.url);

function hashOf(name: string): string {
  const text = readFileSync(new URL(`${name}.ts`, folder), 'utf8');
  const bare = text.replace(/\/\*[\s\S]*?\*\//g, '').replace(/^\s*\/\/.*$/gm, '');
  return createHash('sha256').update(bare.replace(/\s+/g, '')).digest('hex');
}

test('no released migration was edited', () => {
  const found = readdirSync(folder)
    .filter((name) => !/test|rewrite-log/.test(name))
    .map((name) => name.replace('.ts', ''));
  expect(Object.fromEntries(found.map((name) => [name, hashOf(name)]))).toEqual(released);
  expect(migrationNames.length).toBe(found.length);
});

const columnsOf = async (source: DataSource) =>
  (await source.query(
    `SELECT table_name, column_name, data_type, column_default, is_nullable FROM information_schema.columns
     WHERE table_schema = 'public' ORDER BY table_name, column_name`,
  )) as unknown[];

test('a database of the first form of “accounts and uses” gets the column that it lacks', async () => {
  const [early, whole] = [await freshDatabase(), await freshDatabase()];
  const before = await connectAndMigrate(early, databaseOptions(early, 5));
  await before.query('ALTER TABLE songs DROP COLUMN parts');
  await before.query(
    `INSERT INTO songs (id, title, document, revision) VALUES (gen_random_uuid(), 'x', '{"partOrder": ["a", "b"]}', 0)`,
  );
  await before.destroy();
  const after = await connectAndMigrate(early, databaseOptions(early));
  const fresh = await connectAndMigrate(whole, databaseOptions(whole));
  try {
    expect(await after.query('SELECT parts FROM songs')).toEqual([{ parts: 2 }]);
    expect(await columnsOf(after)).toEqual(await columnsOf(fresh));
  } finally {
    await after.destroy();
    await fresh.destroy();
  }
});

test('servers that start at once on an empty database all come up', async () => {
  const url = await freshDatabase();
  const sources = await Promise.all(
    Array.from({ length: 4 }, () => connectAndMigrate(url, databaseOptions(url))),
  );
  const [{ count }] = (await sources[0].query('SELECT count(*)::int AS count FROM migrations')) as {
    count: number;
  }[];
  for (const source of sources) await source.destroy();
  expect(count).toBe(migrationNames.length);
});
