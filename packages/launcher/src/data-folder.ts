import { createHash } from 'node:crypto';
import { accessSync, constants, existsSync, mkdirSync, statfsSync, statSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { Complaint, repository } from './repository.ts';

/**
 * Where the cluster lies: what was asked for, else `.pannet` in the checkout. As root the database runs as another user,
 * who must be able to reach it; where a parent folder is closed to others, a folder of the project's under /var/lib serves.
 */
export function dataFolder(asked: string | undefined): string {
  return made(dataFolderPath(asked));
}

/** Where a data folder is or would be; it is not made. */
export function dataFolderPath(asked: string | undefined): string {
  const wanted = asked ?? process.env.PANNET_DATA;
  if (wanted) return resolve(process.env.PANNET_CALLED_FROM ?? '.', wanted);
  if (process.getuid?.() === 0 && !reachableByOthers(repository)) {
    const name = createHash('sha256').update(repository).digest('hex').slice(0, 8);
    return `/var/lib/pannet-${name}`;
  }
  return join(repository, '.pannet');
}

/** PostgreSQL cannot start without room for a piece of its log (16 MB), nor can this program say who uses a folder. */
const minFreeBytes = 32 * 1_048_576;

/** @throws Complaint where a disk is too full to start on */
export function demandRoom(
  folder: string,
  { bavail, bsize }: { readonly bavail: number; readonly bsize: number } = statfsSync(folder),
): void {
  const free = bavail * bsize;
  if (free < minFreeBytes)
    throw new Complaint(
      `The disk of ${folder} is full: ${(free / 1e6).toFixed(0)} MB are free, and Pannet needs ${(minFreeBytes / 1e6).toFixed(0)} MB to start. Your songs are as they were. Make room, then start again.`,
    );
}

/** @throws Complaint where no folder can be, or nothing can be written to it */
function made(folder: string): string {
  try {
    makeFolder(folder);
    accessSync(folder, constants.W_OK | constants.X_OK);
  } catch (error) {
    const { code } = error as { code?: string };
    if (code === 'ENOSPC') demandRoom(dirname(folder), { bavail: 0, bsize: 1 });
    if (code === 'EEXIST' || code === 'ENOTDIR')
      throw new Complaint(`${folder} is a file, or lies in one: --data names a folder.`);
    throw new Complaint(
      `${folder} cannot be written to (${code}): choose another folder with --data.`,
    );
  }
  return folder;
}

function reachableByOthers(folder: string): boolean {
  for (let at = folder; ; at = dirname(at)) {
    if (!(statSync(at).mode & 0o001)) return false;
    if (at === dirname(at)) return true;
  }
}

/** Step by step: Node's own recursion never comes back where the system says that what was just made is not there. */
function makeFolder(folder: string): void {
  if (existsSync(folder)) {
    if (!statSync(folder).isDirectory()) throw Object.assign(new Error(), { code: 'ENOTDIR' });
    return;
  }
  makeFolder(dirname(folder));
  mkdirSync(folder);
}
