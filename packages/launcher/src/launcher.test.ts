import { chmodSync, existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, test } from '@jest/globals';
import pg from 'pg';
import { findPostgres, onPath } from './debian.ts';
import { startCluster } from './postgres.ts';

const folder = mkdtempSync(join(tmpdir(), 'pannet-launcher-'));
chmodSync(folder, 0o755);
afterAll(() => rmSync(folder, { recursive: true, force: true }));

async function query(url: string, text: string): Promise<Record<string, unknown>[]> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  const { rows } = await client.query<Record<string, unknown>>(text);
  await client.end();
  return rows;
}

test('programs are found on the PATH, and PostgreSQL where Debian puts it', () => {
  expect(onPath('sh')).toMatch(/\/sh$/);
  expect(onPath('no-such-program')).toBeUndefined();
  expect(existsSync(join(findPostgres() ?? '', 'initdb'))).toBe(true);
});

test('PG_BIN_DIR comes first, if there is a server in it', () => {
  const before = process.env.PG_BIN_DIR;
  const bin = mkdtempSync(join(folder, 'bin-'));
  process.env.PG_BIN_DIR = bin;
  try {
    expect(findPostgres()).not.toBe(bin);
    for (const program of ['initdb', 'postgres']) writeFileSync(join(bin, program), '');
    expect(findPostgres()).toBe(bin);
  } finally {
    if (before === undefined) delete process.env.PG_BIN_DIR;
    else process.env.PG_BIN_DIR = before;
  }
});

test('a cluster is private to loopback, keeps its data over a stop, and is taken over when it was left running', async () => {
  const first = await startCluster(folder, ['fsync=off']);
  const url = await first.database('kept');
  await query(url, 'CREATE TABLE kept (n int); INSERT INTO kept VALUES (7)');
  expect(await query(url, 'SHOW listen_addresses')).toEqual([{ listen_addresses: '127.0.0.1' }]);
  const wrong = url.replace(/:[^:@]+@/, ':wrong@');
  await expect(query(wrong, 'SELECT 1')).rejects.toThrow(/password/);

  // A second start while it runs finds the same server, not another one.
  const second = await startCluster(folder, ['fsync=off']);
  expect(await second.database('kept')).toBe(url);
  await second.stop();
  await first.stop();

  const third = await startCluster(folder, ['fsync=off']);
  expect(await query(await third.database('kept'), 'SELECT n FROM kept')).toEqual([{ n: 7 }]);
  await third.stop();
}, 60_000);
