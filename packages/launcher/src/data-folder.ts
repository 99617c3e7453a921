import { createHash } from 'node:crypto';
import { mkdirSync, statSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { repository } from './repository.ts';

/**
 * Where the cluster lies: what was asked for, else `.pannet` in the checkout. As root the database runs as another user,
 * who must be able to reach it; where a parent folder is closed to others, a folder of the project's under /var/lib serves.
 */
export function dataFolder(asked: string | undefined): string {
  const wanted = asked ?? process.env.PANNET_DATA;
  if (wanted) return made(resolve(process.env.PANNET_CALLED_FROM ?? '.', wanted));
  if (process.getuid?.() === 0 && !reachableByOthers(repository)) {
    const name = createHash('sha256').update(repository).digest('hex').slice(0, 8);
    return made(`/var/lib/pannet-${name}`);
  }
  return made(join(repository, '.pannet'));
}

function made(folder: string): string {
  mkdirSync(folder, { recursive: true });
  return folder;
}

function reachableByOthers(folder: string): boolean {
  for (let at = folder; ; at = dirname(at)) {
    if (!(statSync(at).mode & 0o001)) return false;
    if (at === dirname(at)) return true;
  }
}
