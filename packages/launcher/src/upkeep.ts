import { existsSync, linkSync, rmSync, statSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { parseArgs } from 'node:util';
import type pg from 'pg';
import { Stopped } from './child.ts';
import { hasCluster } from './cluster-files.ts';
import { dataFolder, dataFolderPath, demandRoom } from './data-folder.ts';
import {
  changePlaces,
  claimMaintenance,
  current,
  demandSettled,
  dropKept,
  keptDatabases,
  keptSentence,
  restoring,
  settleDatabases,
  settleIfAlone,
  type Sharing,
} from './databases.ts';
import { install, postgresNeed } from './debian.ts';
import { FolderInUse, takeFolder, visitFolder } from './folder-lock.ts';
import { joinCluster, startCluster, withAdmin, type Cluster } from './postgres.ts';
import { Complaint } from './repository.ts';
import { maintenance } from './server-process.ts';
import { stopSignal } from './stop-signal.ts';

/** A command on the databases of a data folder. */
interface Work {
  /** As the engineer types it: “./pannet backup”. */
  readonly command: string;
  readonly data: string | undefined;
  readonly sharing: Sharing;
  /** Whether it needs songs that are there, so that a folder without any is refused. */
  readonly needsSongs: boolean;
  readonly signal: AbortSignal;
}

/** Waits so long for a Pannet that is only starting or stopping, in ms. */
const turnPatienceMs = 60_000;

/**
 * The cluster of a data folder, for as long as `use` takes: started and stopped by this process where nobody has the folder,
 * else the one that runs, which is left running.
 */
async function withCluster<Result>(
  work: Work,
  use: (cluster: Cluster, admin: pg.Client) => Promise<Result>,
): Promise<Result> {
  install([postgresNeed]);
  const path = dataFolderPath(work.data);
  if (work.needsSongs && !hasCluster(path))
    throw new Complaint(
      `${path} is no data folder of Pannet: there are no songs in it. --data FOLDER names another one.`,
    );
  const folder = dataFolder(work.data);
  demandRoom(folder);
  const { cluster, isHolder, release } = await reach(folder, work);
  try {
    return await withAdmin(cluster, async (admin) => {
      if (isHolder) for (const sentence of await settleIfAlone(admin)) console.error(sentence);
      await claimMaintenance(admin, work.sharing);
      if (work.sharing === 'exclusive')
        for (const sentence of await settleDatabases(admin)) console.error(sentence);
      await demandSettled(admin);
      return use(cluster, admin);
    });
  } finally {
    await release();
  }
}

interface Reached {
  readonly cluster: Cluster;
  /** Whether this process runs the cluster. */
  readonly isHolder: boolean;
  release(): Promise<void>;
}

async function reach(folder: string, { command, signal }: Work): Promise<Reached> {
  for (const end = Date.now() + turnPatienceMs; ; await wait(200)) {
    if (signal.aborted) throw new Stopped();
    try {
      const lock = takeFolder(folder, command);
      try {
        const cluster = await startCluster(folder, [], signal);
        return {
          cluster,
          isHolder: true,
          release: async () => {
            await cluster.stop();
            lock.release();
          },
        };
      } catch (error) {
        lock.release();
        throw error;
      }
    } catch (error) {
      if (!(error instanceof FolderInUse)) throw error;
      // Registered first: whoever holds the folder waits for us from here on.
      const visit = visitFolder(folder, command);
      const cluster = await joinCluster(folder).catch(() => null);
      if (cluster) return { cluster, isHolder: false, release: async () => visit.release() };
      visit.release();
      if (Date.now() > end) throw error;
    }
  }
}

/** `./pannet account …` and `./pannet purge`. */
export async function maintain(words: string[]): Promise<number> {
  const { values, positionals } = parseArgs({
    args: words,
    allowPositionals: true,
    options: { data: { type: 'string' }, days: { type: 'string' } },
  });
  const signal = stopSignal();
  const [command, action] = positionals;
  const serverWords = [...positionals, ...(values.days ? ['--days', values.days] : [])];
  if (process.env.DATABASE_URL)
    return maintenance(serverWords, process.env.DATABASE_URL, { signal });
  const work: Work = {
    command: `./pannet ${command}`,
    data: values.data,
    // A purge writes tables anew, which a backup that reads them would hold up.
    sharing: command === 'purge' ? 'exclusive' : 'shared',
    needsSongs: command === 'purge' || action !== 'add',
    signal,
  };
  return withCluster(work, async (cluster) =>
    maintenance(serverWords, await cluster.database(current), { signal }),
  );
}

/** `./pannet backup FILE`: all songs and recordings in one new file, while everything runs on. */
export async function backup(words: string[]): Promise<number> {
  const { file, data } = fileOf(words, 'backup');
  if (existsSync(file))
    throw new Complaint(`${file} is there already: a backup is written to a new file.`);
  const signal = stopSignal();
  const half = `${file}.part-${process.pid}`;
  const write = async (url: string) => {
    if ((await maintenance(['backup', half], url, { signal })) !== 0)
      throw new Complaint(`${file} was not written. Your songs are as they were.`);
  };
  try {
    if (process.env.DATABASE_URL) await write(process.env.DATABASE_URL);
    else
      await withCluster(
        { command: './pannet backup', data, sharing: 'shared', needsSongs: true, signal },
        async (cluster) => write(await cluster.database(current)),
      );
    putInPlace(half, file);
  } finally {
    rmSync(half, { force: true });
  }
  console.log(`${file}: ${(statSync(file).size / 1e6).toFixed(1)} MB.`);
  return 0;
}

/** Whole or not at all, and never over what came to be there meanwhile. */
function putInPlace(half: string, file: string): void {
  try {
    linkSync(half, file);
  } catch (error) {
    throw new Complaint(
      `${file} could not be written (${(error as { code?: string }).code}). Your songs are as they were.`,
    );
  }
}

/**
 * `./pannet restore FILE`: the file becomes the songs, while everything runs on. It is read into a database of its own; only
 * when it is whole and checked do the two change places, in one step. What was there before stays until the engineer says so.
 */
export async function restore(words: string[]): Promise<number> {
  const signal = stopSignal();
  const { values } = parseArgs({
    args: words,
    allowPositionals: true,
    options: {
      data: { type: 'string' },
      undo: { type: 'boolean' },
      accept: { type: 'boolean' },
    },
  });
  if (values.undo || values.accept) return settleKept(words, values, signal);
  const { file, data } = fileOf(words, 'restore');
  if (!existsSync(file)) throw new Complaint(`${file} is not there. Nothing was changed.`);
  if (process.env.DATABASE_URL) {
    if ((await maintenance(['restore', file], process.env.DATABASE_URL, { signal })) !== 0)
      throw new Complaint(`${file} was not restored. Nothing was changed.`);
    console.log(`${file} is in the database of DATABASE_URL now.`);
    return 0;
  }
  const work: Work = {
    command: './pannet restore',
    data,
    sharing: 'exclusive',
    needsSongs: false,
    signal,
  };
  await withCluster(work, async (cluster, admin) => {
    try {
      console.error('Reading the backup …');
      const url = await cluster.database(restoring);
      const pgRestore = join(cluster.bin, 'pg_restore');
      if ((await maintenance(['restore', file], url, { signal, pgRestore })) !== 0)
        throw new Complaint(`${file} was not restored. Nothing was changed.`);
      await withAdmin(cluster, (other) => changePlaces(admin, restoring, other));
    } finally {
      await admin.query(`DROP DATABASE IF EXISTS ${restoring} WITH (FORCE)`).catch(() => {});
    }
    console.log(`${file} is restored. Whoever was signed in has to sign in again.`);
    const kept = await keptSentence(admin);
    if (kept) console.log(kept);
  });
  return 0;
}

/** `./pannet restore --undo` and `--accept`: what becomes of the songs from before a restore. */
async function settleKept(
  words: string[],
  { data, undo, accept }: { data?: string; undo?: boolean; accept?: boolean },
  signal: AbortSignal,
): Promise<number> {
  if (undo === accept || words.some((word) => word !== data && !word.startsWith('--')))
    throw new Complaint('./pannet restore --undo, or --accept, takes no file: use one of the two.');
  const work: Work = {
    command: './pannet restore',
    data,
    sharing: 'exclusive',
    needsSongs: true,
    signal,
  };
  await withCluster(work, async (cluster, admin) => {
    const [newest] = await keptDatabases(admin);
    if (newest === undefined)
      throw new Complaint('No restore has left anything: there is nothing to undo or to delete.');
    if (accept) {
      console.log(
        `Deleted for good: ${await dropKept(admin)} set(s) of songs from before a restore.`,
      );
      return;
    }
    await withAdmin(cluster, (other) => changePlaces(admin, newest, other));
    console.log('The songs from before the last restore are back.');
    const kept = await keptSentence(admin);
    if (kept) console.log(kept);
  });
  return 0;
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
