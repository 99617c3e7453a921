import { existsSync, readdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { runToEnd } from './child.ts';
import { Complaint, repository } from './repository.ts';

const sources = ['packages/web', 'packages/core/src', 'package-lock.json'];
const result = 'packages/web/dist/index.html';

/** Builds the interface if any of its sources is newer than what was built. */
export async function buildWeb(signal?: AbortSignal): Promise<void> {
  const built = join(repository, result);
  const newest = Math.max(...sources.map((source) => newestIn(join(repository, source))));
  if (existsSync(built) && statSync(built).mtimeMs >= newest) return;
  console.error('Building the interface …');
  const { code } = await runToEnd(
    'node',
    [join(repository, 'node_modules/vite/bin/vite.js'), 'build', '--logLevel', 'warn'],
    { cwd: join(repository, 'packages/web'), stdio: ['ignore', 'inherit', 'inherit'] },
    signal,
  );
  if (code !== 0) throw new Complaint('The interface could not be built; the lines above say why.');
}

function newestIn(path: string): number {
  const stat = statSync(path);
  if (!stat.isDirectory()) return stat.mtimeMs;
  return Math.max(
    0,
    ...readdirSync(path)
      // What the compiler notes beside the sources is none of them.
      .filter((name) => !/^(dist|node_modules)$|\.tsbuildinfo$/.test(name))
      .map((name) => newestIn(join(path, name))),
  );
}
