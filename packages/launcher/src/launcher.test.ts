import {
  chmodSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { spawn } from 'node:child_process';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { afterAll, describe, expect, test } from '@jest/globals';
import pg from 'pg';
import { runningServer, wasStartedOn } from './cluster-files.ts';
import { dataFolder, demandRoom } from './data-folder.ts';
import { findChromium, findPostgres, install, onPath } from './debian.ts';
import {
  changePlaces,
  claimMaintenance,
  demandSettled,
  settleDatabases,
  settleIfAlone,
} from './databases.ts';
import { joinCluster, startCluster, withAdmin, type Cluster } from './postgres.ts';

const folder = mkdtempSync(join(tmpdir(), 'pannet-launcher-'));
chmodSync(folder, 0o755);
afterAll(() => rmSync(folder, { recursive: true, force: true }));

async function query(url: string, text: string): Promise<Record<string, unknown>[]> {
  const client = new pg.Client({ connectionString: url });
  client.on('error', () => {});
  await client.connect();
  try {
    return (await client.query<Record<string, unknown>>(text)).rows;
  } finally {
    await client.end().catch(() => {});
  }
}

test('programs are found on the PATH, and PostgreSQL where Debian puts it', () => {
  expect(onPath('sh')).toMatch(/\/sh$/);
  expect(onPath('no-such-program')).toBeUndefined();
  expect(existsSync(join(findPostgres() ?? '', 'initdb'))).toBe(true);
  expect(findChromium()).toMatch(/^\/usr\/bin\/chromium/);
});

test('what cannot be installed is said in a sentence, or gone without', () => {
  const before = process.env.PATH;
  // Where there is no apt-get.
  process.env.PATH = folder;
  const need = { name: 'A harp', debianPackage: 'harp', there: () => false };
  try {
    expect(() => install([need])).toThrow(
      /^A harp is missing\. Run “sudo apt-get update && .* harp”/,
    );
    expect(() => install([{ ...need, optional: true }])).not.toThrow();
    expect(() => install([{ ...need, optional: true }, need])).toThrow(/A harp is missing/);
  } finally {
    process.env.PATH = before;
  }
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

  // Who comes while it runs finds the same server, not another one.
  const second = await joinCluster(folder);
  expect(await second?.database('kept')).toBe(url);
  await second?.stop();
  expect(await query(url, 'SELECT n FROM kept')).toEqual([{ n: 7 }]);
  await first.stop();

  const third = await startCluster(folder, ['fsync=off']);
  expect(await query(await third.database('kept'), 'SELECT n FROM kept')).toEqual([{ n: 7 }]);
  await third.stop();
});

test('a cluster that another process is still making is left to it', async () => {
  const data = fresh();
  const making = join(data, 'postgres-being-made-0123456789ab');
  mkdirSync(making);
  writeFileSync(join(data, 'postgres-password'), 'theirs\n');
  expect(await joinCluster(data)).toBeNull();
  expect(existsSync(making)).toBe(true);
  expect(readFileSync(join(data, 'postgres-password'), 'utf8')).toBe('theirs\n');
});

const fresh = () => {
  const made = mkdtempSync(join(folder, 'data-'));
  chmodSync(made, 0o755);
  return made;
};
const settings = ['fsync=off'];

describe('nothing that we did not make is ever removed', () => {
  test('a stranger’s folder in the place of the cluster is left as it is, and said', async () => {
    const data = fresh();
    mkdirSync(join(data, 'postgres'));
    writeFileSync(join(data, 'postgres', 'thesis.txt'), 'years of work');
    await expect(startCluster(data, settings)).rejects.toThrow(
      /postgres is there and is no database cluster .*Nothing in it was changed/,
    );
    expect(readFileSync(join(data, 'postgres', 'thesis.txt'), 'utf8')).toBe('years of work');
  });

  test('a cluster whose PG_VERSION is gone is left as it is', async () => {
    const data = fresh();
    await (await startCluster(data, settings)).stop();
    rmSync(join(data, 'postgres', 'PG_VERSION'));
    const before = readdirSync(join(data, 'postgres')).sort();
    await expect(startCluster(data, settings)).rejects.toThrow(/PG_VERSION/);
    expect(readdirSync(join(data, 'postgres')).sort()).toEqual(before);
  });

  test('another’s cluster, of which we have no password, is left alone', async () => {
    const data = fresh();
    await (await startCluster(data, settings)).stop();
    rmSync(join(data, 'postgres-password'));
    await expect(startCluster(data, settings)).rejects.toThrow(/not one that Pannet made here/);
  });
});

describe('a cluster that something happened to starts again', () => {
  test('when it was killed while it was being made', async () => {
    const data = fresh();
    const stop = new AbortController();
    const first = startCluster(data, settings, stop.signal);
    await wait(150);
    stop.abort();
    await expect(first).rejects.toThrow();
    // As kill -9 would have left it.
    mkdirSync(join(data, 'postgres-being-made-0123456789ab', 'base'), { recursive: true });
    const cluster = await startCluster(data, settings);
    expect(await query(await cluster.database('again'), 'SELECT 1 AS one')).toEqual([{ one: 1 }]);
    await cluster.stop();
    expect(readdirSync(data).filter((name) => name.includes('being-made'))).toEqual([]);
  });

  test.each([
    ['empty', ''],
    ['garbled', '\0\0\0what\n'],
    ['of a process that is another one by now', `${process.pid}\n/x\n1\n5432\n`],
  ])(
    'when its lock file is %s',
    async (_, text) => {
      const data = fresh();
      await (await startCluster(data, settings)).stop();
      const lock = join(data, 'postgres', 'postmaster.pid');
      writeFileSync(lock, text);
      chmodSync(lock, 0o666);
      const cluster = await startCluster(data, settings);
      expect(await query(await cluster.database('again'), 'SELECT 1 AS one')).toEqual([{ one: 1 }]);
      await cluster.stop();
    },
    60_000,
  );

  test('when its server dies, on the same port', async () => {
    const data = fresh();
    const cluster = await startCluster(data, settings);
    const url = await cluster.database('kept');
    const running = runningServer(join(data, 'postgres'));
    // The two ways to tell a server by its process agree.
    expect(wasStartedOn(running?.pid as number, join(data, 'postgres'))).toBe(true);
    expect(wasStartedOn(running?.pid as number, data)).toBe(false);
    expect(wasStartedOn(process.pid, join(data, 'postgres'))).toBe(false);
    process.kill(running?.pid as number, 'SIGKILL');
    let again: unknown[] = [];
    for (const end = Date.now() + 20_000; Date.now() < end && again.length === 0;) {
      await wait(200);
      again = await query(url, 'SELECT 1 AS one').catch(() => []);
    }
    expect(again).toEqual([{ one: 1 }]);
    expect(runningServer(join(data, 'postgres'))?.pid).not.toBe(running?.pid);
    await cluster.stop();
    expect(runningServer(join(data, 'postgres'))).toBeUndefined();
  });
});

test('a cluster keeps to the version that made it, or says what to do', async () => {
  const data = fresh();
  await (await startCluster(data, settings)).stop();
  writeFileSync(join(data, 'postgres', 'PG_VERSION'), '9\n');
  await expect(startCluster(data, settings)).rejects.toThrow(
    /made by PostgreSQL 9, which is not installed\. Run “sudo apt-get install postgresql-9”/,
  );
});

test('its log can be read by its owner alone', async () => {
  const data = fresh();
  writeFileSync(join(data, 'postgres.log'), '', { mode: 0o644 });
  await (await startCluster(data, settings)).stop();
  expect(statSync(join(data, 'postgres.log')).mode & 0o777).toBe(0o600);
});

test('a disk that is too full to start on is said in one sentence', () => {
  expect(() => demandRoom('/there', { bavail: 1000, bsize: 4096 })).toThrow(
    /^The disk of \/there is full: 4 MB are free, and Pannet needs 34 MB to start\. .* Make room/,
  );
  demandRoom(folder);
});

test('a data folder that is a file, or that nothing can be written to, is said in a sentence', () => {
  const file = join(folder, 'file');
  writeFileSync(file, '');
  expect(() => dataFolder(file)).toThrow(/is a file, or lies in one: --data names a folder/);
  expect(() => dataFolder(join(file, 'below'))).toThrow(/is a file, or lies in one/);
  expect(() => dataFolder('/proc/pannet')).toThrow(/cannot be written to/);
});

describe('a restore that was interrupted, by this version or an earlier one', () => {
  /** A cluster with these databases; a file in each says which it was. */
  async function clusterWith(...names: string[]) {
    const cluster = await startCluster(fresh(), settings);
    for (const name of names)
      await query(
        await cluster.database(name),
        `CREATE TABLE made_as (name text); INSERT INTO made_as VALUES ('${name}')`,
      );
    return cluster;
  }
  const nameIn = async (cluster: Cluster) =>
    (await query(cluster.adminUrl('pannet'), 'SELECT name FROM made_as')) as { name: string }[];

  test.each([
    [
      'complete',
      ['pannet_restoring', 'pannet_before_restore'],
      'pannet_restoring',
      /is complete now/,
    ],
    ['undone', ['pannet_before_20260101120000'], 'pannet_before_20260101120000', /are back/],
    ['undone', ['pannet', 'pannet_restoring'], 'pannet', /before it changed anything/],
    ['left alone', ['pannet', 'pannet_before_restore'], 'pannet', /^$/],
  ] as const)('is %s: %j', async (_, names, becomes, sentence) => {
    const cluster = await clusterWith(...names);
    try {
      const said = await withAdmin(cluster, (admin) => settleDatabases(admin));
      expect(said.join()).toMatch(sentence);
      expect(await nameIn(cluster)).toEqual([{ name: becomes }]);
    } finally {
      await cluster.stop();
    }
  });

  test('is put in order by one command while others wait for it', async () => {
    const cluster = await clusterWith('pannet', 'pannet_restoring');
    try {
      await withAdmin(cluster, async (first) => {
        await claimMaintenance(first, 'exclusive');
        const second = withAdmin(cluster, (admin) => claimMaintenance(admin, 'shared'));
        await wait(500);
        await first.query('SELECT pg_advisory_unlock_all()');
        await second;
        // One that goes on working is not waited for.
        await claimMaintenance(first, 'exclusive');
        await expect(
          withAdmin(cluster, (admin) => claimMaintenance(admin, 'shared')),
        ).rejects.toThrow(/Another “\.\/pannet” command/);
      });
    } finally {
      await cluster.stop();
    }
  });

  test('keeps other commands from making an empty database in the place of the songs', async () => {
    const cluster = await clusterWith('pannet_before_20260101120000');
    try {
      await withAdmin(cluster, async (admin) => {
        await expect(demandSettled(admin)).rejects.toThrow(/Your songs are there/);
        expect(await settleIfAlone(admin)).toEqual([expect.stringMatching(/are back/)]);
        await demandSettled(admin);
      });
    } finally {
      await cluster.stop();
    }
  });

  test('changes places in one step, also while others go on connecting', async () => {
    const cluster = await clusterWith('pannet', 'pannet_restoring');
    const url = cluster.adminUrl('pannet');
    let over = false;
    const seen = new Set<string>();
    const crowd = Array.from({ length: 4 }, async () => {
      while (!over)
        for (const { name } of (await query(url, 'SELECT name FROM made_as').catch(() => [])) as {
          name: string;
        }[])
          seen.add(name);
    });
    try {
      await wait(300);
      const kept = await withAdmin(cluster, (admin) =>
        withAdmin(cluster, (other) => changePlaces(admin, 'pannet_restoring', other)),
      );
      await wait(300);
      expect(kept).toMatch(/^pannet_before_\d{14}$/);
      expect([...seen].sort()).toEqual(['pannet', 'pannet_restoring']);
      expect(await nameIn(cluster)).toEqual([{ name: 'pannet_restoring' }]);
    } finally {
      over = true;
      await Promise.all(crowd);
      await cluster.stop();
    }
  });
});

test('the application’s role owns its tables, those of earlier versions too, and can do nothing else', async () => {
  const cluster = await startCluster(fresh(), settings);
  try {
    await cluster.database('pannet');
    await query(cluster.adminUrl('pannet'), 'CREATE TABLE earlier (id bigserial)');
    const url = await cluster.database('pannet');
    await query(url, 'INSERT INTO earlier DEFAULT VALUES; ALTER TABLE earlier ADD more int');
    for (const forbidden of [
      "COPY earlier TO PROGRAM 'true'",
      "COPY earlier FROM '/etc/passwd'",
      'CREATE DATABASE another',
      'CREATE ROLE another',
    ])
      await expect(query(url, forbidden)).rejects.toThrow(/permission denied|must be superuser/);
  } finally {
    await cluster.stop();
  }
});

test('a stop waits for other commands, then ends what does not end by itself', async () => {
  const data = fresh();
  const cluster = await startCluster(data, settings);
  const visit = spawn('sleep', ['1.5']);
  // As `visitFolder` writes it, for a process of its own.
  const stat = readFileSync(`/proc/${visit.pid}/stat`, 'utf8');
  const began = stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19];
  writeFileSync(
    join(data, `visitor.${visit.pid}.json`),
    JSON.stringify({ pid: visit.pid, began, command: './pannet backup', address: null }),
  );
  const since = Date.now();
  await cluster.stop();
  expect(Date.now() - since).toBeGreaterThan(1000);
  expect(runningServer(join(data, 'postgres'))).toBeUndefined();
});
