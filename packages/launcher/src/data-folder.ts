import { createHash } from 'node:crypto';
import { accessSync, constants, existsSync, mkdirSync, statSync } from 'node:fs';
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

/** @throws Complaint where no folder can be, or nothing can be written to it */
function made(folder: string): string {
  try {
    makeFolder(folder);
    accessSync(folder, constants.W_OK | constants.X_OK);
  } catch (error) {
    const { code } = error as { code?: string };
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
