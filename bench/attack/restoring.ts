import { spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { chmodSync, existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { repository } from '@pannet/launcher/repository';
import { said, type Target } from './target.ts';

const launcher = join(repository, 'packages/launcher/dist/main.js');
/** Commands are killed within this time of their start; they take about as long, in ms. */
const withinMs = 5000;

function pannet(words: readonly string[], environment: NodeJS.ProcessEnv = {}) {
  const { DATABASE_URL: _, ...own } = process.env;
  return spawn('node', [launcher, ...words], {
    env: { ...own, NODE_OPTIONS: '', ...environment },
    stdio: 'ignore',
  });
}

async function ended(words: readonly string[], environment?: NodeJS.ProcessEnv): Promise<number> {
  const [code] = (await once(pannet(words, environment), 'exit')) as [number];
  return code;
}

/** Hashes of all that a backup holds, but for what every restore makes anew. */
function contentsOf(file: string): string {
  const { stdout } = spawnSync('tar', ['-xOf', file, 'manifest.json'], { encoding: 'utf8' });
  const { pieces } = JSON.parse(stdout) as { pieces: { name: string; sha256: string }[] };
  return pieces.map(({ name, sha256 }) => `${name} ${sha256}`).join('\n');
}

/** Kills backups and restores at random moments; after each, a whole backup must hold all that the first one did. */
export async function restoring(target: Target, rounds: number): Promise<void> {
  const folder = mkdtempSync(join(tmpdir(), 'pannet-restoring-'));
  chmodSync(folder, 0o755);
  const data = ['--data', join(folder, 'data')];
  const first = join(folder, 'first.backup');
  let lost = 0;
  try {
    const databaseUrl = await target.cluster.database('pannet');
    if ((await ended(['backup', first], { DATABASE_URL: databaseUrl })) !== 0)
      throw new Error('The backup to begin with failed.');
    if ((await ended(['restore', first, ...data])) !== 0)
      throw new Error('The restore to begin with failed.');
    const contents = contentsOf(first);
    for (let round = 0; round < rounds; round++) {
      const victim = join(folder, `victim-${round}.backup`);
      const words = round % 2 ? ['backup', victim] : ['restore', first];
      const killed = pannet([...words, ...data]);
      await wait(withinMs * Math.random());
      killed.kill('SIGKILL');
      if (killed.exitCode === null && killed.signalCode === null) await once(killed, 'exit');
      // A backup that has its name is whole.
      if (existsSync(victim) && contentsOf(victim) !== contents) lost++;
      const after = join(folder, `after-${round}.backup`);
      if ((await ended(['backup', after, ...data])) !== 0 || contentsOf(after) !== contents) lost++;
      for (const each of [victim, after]) rmSync(each, { force: true });
    }
    // What the restores that came to their end have kept.
    await ended(['restore', '--accept', ...data]);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
  said(
    `kill -9 of backup and restore, ${rounds} rounds`,
    `${lost} without all songs and recordings`,
  );
  if (lost > 0) target.faults.push('a killed backup or restore lost something');
}
