import { randomBytes } from 'node:crypto';
import {
  chownSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  readlinkSync,
  realpathSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { runToEnd } from './child.ts';
import { findPostgres } from './debian.ts';
import { Complaint } from './repository.ts';

/** PostgreSQL refuses to run as root, so there it runs as the user that Debian's package made for it. */
export interface Owner {
  readonly uid?: number;
  readonly gid?: number;
}

export function owner(): Owner {
  if (process.getuid?.() !== 0) return {};
  const id = (flag: string) =>
    Number(spawnSync('id', [flag, 'postgres'], { encoding: 'utf8' }).stdout);
  return { uid: id('-u'), gid: id('-g') };
}

/** Where a cluster lies and what it is run by. */
export interface ClusterFiles {
  readonly folder: string;
  readonly data: string;
  readonly bin: string;
  readonly password: string;
  readonly user: Owner;
}

/** Whether a data folder has a cluster that was made whole. */
export function hasCluster(folder: string): boolean {
  return existsSync(join(folder, 'postgres', 'PG_VERSION'));
}

/**
 * The cluster of a data folder, made if there is none. What stands in its place and is none is never touched.
 * @throws Complaint for what stands there, for a version that is not installed, for a folder that cannot be written to
 */
export async function clusterIn(folder: string, signal?: AbortSignal): Promise<ClusterFiles> {
  const newest = findPostgres();
  if (!newest)
    throw new Complaint(
      'PostgreSQL is missing. Run “sudo apt-get install postgresql”, then start again.',
    );
  const data = join(folder, 'postgres');
  const passwordFile = join(folder, 'postgres-password');
  const user = owner();
  if (!existsSync(data)) await createCluster(newest, folder, data, passwordFile, user, signal);
  else if (!existsSync(join(data, 'PG_VERSION')))
    throw new Complaint(
      `${data} is there and is no database cluster (it has no PG_VERSION). Nothing in it was changed. Choose another folder with --data; if a cluster of Pannet's was there, put it back from a backup.`,
    );
  if (!existsSync(passwordFile))
    throw new Complaint(
      `${data} is a database cluster, but not one that Pannet made here: ${passwordFile} is missing. Nothing in it was changed. Choose another folder with --data.`,
    );
  const version = readFileSync(join(data, 'PG_VERSION'), 'utf8').trim();
  const bin = findPostgres(version);
  if (!bin)
    throw new Complaint(
      `The data in ${data} were made by PostgreSQL ${version}, which is not installed. Run “sudo apt-get install postgresql-${version}” and start again; or, where it still is, “./pannet backup FILE”, and “./pannet restore FILE” with another --data.`,
    );
  return { folder, data, bin, password: readFileSync(passwordFile, 'utf8').trim(), user };
}

/** Made beside its place and moved there when it is whole, so that a start that is killed leaves nothing in the way. */
async function createCluster(
  bin: string,
  folder: string,
  data: string,
  passwordFile: string,
  user: Owner,
  signal: AbortSignal | undefined,
): Promise<void> {
  const prefix = 'postgres-being-made-';
  for (const name of readdirSync(folder))
    if (/^postgres-being-made-[0-9a-f]{12}$/.test(name))
      rmSync(join(folder, name), { recursive: true, force: true });
  const making = join(folder, prefix + randomBytes(6).toString('hex'));
  mkdirSync(making, { mode: 0o700 });
  writeFileSync(passwordFile, `${randomBytes(18).toString('base64url')}\n`, { mode: 0o600 });
  if (user.uid !== undefined && user.gid !== undefined) {
    chownSync(making, user.uid, user.gid);
    chownSync(passwordFile, user.uid, user.gid);
  }
  const words = ['-D', making, '-U', 'pannet', '-E', 'UTF8', '--locale=C.UTF-8'];
  let made = false;
  try {
    const { code, printed } = await runToEnd(
      join(bin, 'initdb'),
      [...words, '--auth=scram-sha-256', `--pwfile=${passwordFile}`],
      // Not the caller's folder, which the database's user may not be allowed to enter.
      { ...user, cwd: '/', stdio: ['ignore', 'pipe', 'pipe'], detached: true },
      signal,
    );
    if (code !== 0)
      throw new Complaint(
        `PostgreSQL could not make its data folder in ${folder}: ${printed}. Choose another folder with --data.`,
      );
    renameSync(making, data);
    made = true;
  } finally {
    if (!made) rmSync(making, { recursive: true, force: true });
  }
}

/** Process and port of the server that runs on this cluster. */
export function runningServer(data: string): { port: number; pid: number } | undefined {
  const file = join(data, 'postmaster.pid');
  if (!existsSync(file)) return undefined;
  const [pid, , , port] = readFileSync(file, 'utf8').split('\n').map(Number);
  return worksIn(pid, data) && port > 0 ? { pid, port } : undefined;
}

/**
 * Removes a lock file that no server stands behind: empty or garbled ones after a crash of the machine, or with the number of a
 * process that is another one by now, would keep PostgreSQL from starting for good.
 */
export function clearStaleLock(data: string): void {
  const file = join(data, 'postmaster.pid');
  if (!existsSync(file)) return;
  const anyServer = readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .some((pid) => worksIn(Number(pid), data));
  if (!anyServer) rmSync(file, { force: true });
}

/** PostgreSQL's server, and every process of it, works in its data folder. */
function worksIn(pid: number, data: string): boolean {
  if (!Number.isInteger(pid) || pid < 1) return false;
  try {
    return readlinkSync(`/proc/${pid}/cwd`) === realpathSync(data);
  } catch (error) {
    // Where it must not be looked at (a container may forbid that even to root) the server's own words tell.
    return (error as { code?: string }).code === 'EACCES' && wasStartedOn(pid, data);
  }
}

/** Whether a process was started as the server of this data folder. */
export function wasStartedOn(pid: number, data: string): boolean {
  try {
    const words = readFileSync(`/proc/${pid}/cmdline`, 'utf8').split('\0');
    const at = words.indexOf('-D');
    return at > 0 && /postgres$/.test(words[0]) && words[at + 1] === data;
  } catch {
    return false;
  }
}

export function alive(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch {
    return false;
  }
}
