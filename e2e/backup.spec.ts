import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { chmodSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import { freePort } from '@pannet/launcher/postgres';
import { rate, repository, scratchFolder, tap, type Tapped } from './stage.ts';

const launcher = join(repository, 'packages/launcher/dist/main.js');

function pannet(...words: string[]): ChildProcess {
  const { DATABASE_URL: _, ...environment } = process.env;
  return spawn('node', [launcher, ...words], {
    env: { ...environment, NODE_OPTIONS: '' },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
}

async function started(folder: string): Promise<{ process: ChildProcess; base: string }> {
  const port = await freePort();
  const child = pannet('start', '--port', String(port), '--data', folder);
  let printed = '';
  child.stdout?.on('data', (piece: Buffer) => (printed += piece.toString()));
  await expect.poll(() => printed, { timeout: 120_000 }).toContain('Pannet is at');
  return { process: child, base: `http://127.0.0.1:${port}` };
}

async function stopped(child: ChildProcess): Promise<void> {
  const ended = once(child, 'exit');
  child.kill('SIGINT');
  await ended;
}

async function heard(page: Page, base: string): Promise<Tapped> {
  await page.goto(base);
  await page.getByRole('link', { name: 'The Lantern Ferry' }).click();
  await page.getByRole('button', { name: 'Reed box', exact: true }).click();
  await expect(page.getByTestId('verdict')).toContainText('holds', { timeout: 60_000 });
  return tap(page, 8 * rate, 2 * rate);
}

test('a backup that was made while it ran plays, restored elsewhere, the same bits', async ({
  page,
}) => {
  test.setTimeout(300_000);
  const folder = scratchFolder();
  chmodSync(folder, 0o755);
  const file = join(folder, 'pannet.backup');
  let running: ChildProcess | undefined;
  try {
    const first = await started(join(folder, 'first'));
    running = first.process;
    const before = await heard(page, first.base);
    const [saved] = (await once(
      pannet('backup', file, '--data', join(folder, 'first')),
      'exit',
    )) as [number];
    expect(saved).toBe(0);
    await page.goto('about:blank');
    await stopped(first.process);
    const [restored] = (await once(
      pannet('restore', file, '--data', join(folder, 'second')),
      'exit',
    )) as [number];
    expect(restored).toBe(0);
    const second = await started(join(folder, 'second'));
    running = second.process;
    const after = await heard(page, second.base);
    expect(Math.max(...before.left.map(Math.abs))).toBeGreaterThan(0.001);
    expect(Buffer.from(after.left.buffer).equals(Buffer.from(before.left.buffer))).toBe(true);
    expect(Buffer.from(after.right.buffer).equals(Buffer.from(before.right.buffer))).toBe(true);
    await page.goto('about:blank');
  } finally {
    if (running?.exitCode === null) await stopped(running);
    rmSync(folder, { recursive: true, force: true });
  }
});
