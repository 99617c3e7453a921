import { spawn } from 'node:child_process';
import { createReadStream, existsSync, renameSync, rmSync, statSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import pg from 'pg';
import { runToEnd } from './child.ts';
import { dataFolder } from './data-folder.ts';
import { install, postgresNeed } from './debian.ts';
import { startCluster, type Cluster } from './postgres.ts';
import { Complaint, repository } from './repository.ts';
import { stopSignal } from './stop-signal.ts';

/** The database as it runs, or started for as long as it is needed. DATABASE_URL names another one. */
async function withDatabase<Result>(
  data: string | undefined,
  signal: AbortSignal,
  use: (url: string, cluster: Cluster | null) => Promise<Result>,
): Promise<Result> {
  if (process.env.DATABASE_URL) return use(process.env.DATABASE_URL, null);
  install([postgresNeed]);
  const cluster = await startCluster(dataFolder(data), [], signal, false);
  try {
    return await use(await cluster.database('pannet'), cluster);
  } finally {
    // One that a running Pannet uses goes on.
    if (!cluster.found) await cluster.stop();
  }
}

/** `./pannet account …` and `./pannet purge`: the server's own words for them, on its own database. */
export async function maintain(words: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args: words,
    allowPositionals: true,
    options: { data: { type: 'string' }, days: { type: 'string' } },
  });
  const signal = stopSignal();
  return withDatabase(values.data, signal, (url) =>
    serverCommand([...positionals, ...(values.days ? ['--days', values.days] : [])], url),
  );
}

function serverCommand(words: readonly string[], databaseUrl: string): Promise<number> {
  return new Promise((done) => {
    const child = spawn(
      'node',
      [join(repository, 'packages/server/dist/maintenance.js'), ...words],
      {
        env: { ...process.env, NODE_OPTIONS: '', DATABASE_URL: databaseUrl },
        stdio: 'inherit',
      },
    );
    child.once('exit', (code) => done(code ?? 1));
    child.once('error', () => done(1));
  });
}

/** `./pannet backup FILE`: all that the engineer would miss, in one file, while everything runs on. */
export async function backup(words: string[]): Promise<number> {
  const { file, data } = fileOf(words, 'backup');
  if (existsSync(file))
    throw new Complaint(`${file} is there already: a backup is written to a new file.`);
  const signal = stopSignal();
  const half = `${file}.part`;
  try {
    await withDatabase(data, signal, async (url, cluster) => {
      const tell = setInterval(() => {
        if (existsSync(half)) console.error(`${megabytes(statSync(half).size)} written …`);
      }, 3000);
      try {
        // Audio hardly gets smaller; the quickest compression takes away what its spelling in the file adds.
        const words = ['--format=custom', '--compress=1', '--no-owner', `--file=${half}`];
        await tool(cluster, 'pg_dump', [...words, `--dbname=${url}`], signal);
      } finally {
        clearInterval(tell);
      }
    });
    renameSync(half, file);
  } finally {
    rmSync(half, { force: true });
  }
  console.log(`${file}: ${megabytes(statSync(file).size)}.`);
  return 0;
}

const restoring = 'pannet_restoring';
const before = 'pannet_before_restore';

/**
 * `./pannet restore FILE`: the file becomes the database, while everything runs on. It is read into a database of its own
 * first; only when it is whole do the two change places, and what was there before is kept beside it.
 */
export async function restore(words: string[]): Promise<number> {
  const { file, data } = fileOf(words, 'restore');
  await demandBackup(file);
  if (process.env.DATABASE_URL)
    throw new Complaint(
      'A restore is for Pannet’s own database: into the one of DATABASE_URL, use pg_restore.',
    );
  const signal = stopSignal();
  await withDatabase(data, signal, async (_, cluster) => {
    if (!cluster) return;
    const admin = new pg.Client({ connectionString: cluster.url('postgres') });
    await admin.connect();
    try {
      await admin.query(`DROP DATABASE IF EXISTS ${restoring} WITH (FORCE)`);
      await admin.query(`CREATE DATABASE ${restoring}`);
      const words = ['--no-owner', '--exit-on-error', `--dbname=${cluster.url(restoring)}`, file];
      console.error('Reading the backup …');
      await tool(cluster, 'pg_restore', words, signal);
      // One of an earlier Pannet is brought up to this one.
      if ((await serverCommand(['migrate'], cluster.url(restoring))) !== 0)
        throw new Complaint(`${file} is no backup of Pannet. Nothing was changed.`);
      await changePlaces(admin);
    } finally {
      await admin.query(`DROP DATABASE IF EXISTS ${restoring} WITH (FORCE)`).catch(() => {});
      await admin.end();
    }
  });
  console.log(
    `${file} is what Pannet has now. What it had before is kept as the database ${before} until the next restore.`,
  );
  return 0;
}

async function changePlaces(admin: pg.Client): Promise<void> {
  await admin.query(`DROP DATABASE IF EXISTS ${before} WITH (FORCE)`);
  const away = `SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname IN ('pannet', '${restoring}')`;
  // A running server comes back at once; it is kept out for the moment that the change takes.
  await admin.query('ALTER DATABASE pannet ALLOW_CONNECTIONS false');
  try {
    for (let tries = 0; ; tries++) {
      await admin.query(away);
      try {
        await admin.query(`ALTER DATABASE pannet RENAME TO ${before}`);
        break;
      } catch (error) {
        if (tries === 50) throw error;
        await new Promise((next) => setTimeout(next, 100));
      }
    }
  } catch (error) {
    await admin.query('ALTER DATABASE pannet ALLOW_CONNECTIONS true');
    throw error;
  }
  await admin.query(`ALTER DATABASE ${restoring} RENAME TO pannet`);
  await admin.query(`ALTER DATABASE ${before} ALLOW_CONNECTIONS true`);
}

async function tool(
  cluster: Cluster | null,
  name: 'pg_dump' | 'pg_restore',
  words: readonly string[],
  signal: AbortSignal,
): Promise<void> {
  const program = cluster ? join(cluster.bin, name) : name;
  const { code, printed } = await runToEnd(
    program,
    words,
    { stdio: ['ignore', 'ignore', 'pipe'] },
    signal,
  );
  if (code !== 0)
    throw new Complaint(
      `${name} did not come to its end; nothing was changed: ${printed.replace(/postgres:\/\/\S+/g, 'the database')}`,
    );
}

function fileOf(words: string[], command: string): { file: string; data: string | undefined } {
  const { values, positionals } = parseArgs({
    args: words,
    allowPositionals: true,
    options: { data: { type: 'string' } },
  });
  const [name] = positionals;
  if (!name || positionals.length > 1)
    throw new Complaint(`./pannet ${command} FILE [--data FOLDER]: name one file.`);
  return { file: resolve(process.env.PANNET_CALLED_FROM ?? '.', name), data: values.data };
}

/** PostgreSQL's custom format begins with these letters. */
async function demandBackup(file: string): Promise<void> {
  let begins = '';
  try {
    for await (const piece of createReadStream(file, { end: 4 })) begins += String(piece);
  } catch (error) {
    throw new Complaint(`${file} cannot be read (${(error as { code?: string }).code}).`);
  }
  if (begins !== 'PGDMP')
    throw new Complaint(`${file} is no backup that “./pannet backup” wrote. Nothing was changed.`);
}

function megabytes(bytes: number): string {
  return `${(bytes / 1e6).toFixed(1)} MB`;
}
