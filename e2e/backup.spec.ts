import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { chmodSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import { freePort } from '@pannet/launcher/postgres';
import { wavFile } from '@pannet/core/formats/wav-write';
import { noise } from '../packages/core/src/measurement/signals.fixture.ts';
import {
  applyRecipe,
  rate,
  repository,
  scratchFolder,
  songOf,
  tap,
  upload,
  type Tapped,
} from './stage.ts';

const launcher = join(repository, 'packages/launcher/dist/main.js');

function pannet(...words: string[]): ChildProcess {
  const { DATABASE_URL: _, ...environment } = process.env;
  return spawn('node', [launcher, ...words], {
    env: { ...environment, NODE_OPTIONS: '', PANNET_DEMO: 'off' },
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

const title = 'Kept twice';

async function heard(page: Page, base: string): Promise<Tapped> {
  await page.goto(base);
  await page.getByRole('link', { name: title }).click();
  await expect(page.getByTestId('voice-right double')).toBeVisible();
  await expect(page.getByText(/tuning \d voice/)).toBeHidden();
  await expect(page.getByText('saved', { exact: true })).toBeVisible();
  return tap(page, 3 * rate, 2 * rate);
}

/** A song of one part, made wide. */
async function makeSong(page: Page, base: string): Promise<void> {
  const line = wavFile([noise(8, rate, 93, 0.1)], rate, '24');
  const id = await songOf(base, title, [await upload(base, 'line.wav', line)]);
  await page.goto(`${base}/songs/${id}`);
  await applyRecipe(page, 'Tuned doubles');
  await expect(page.getByText('saved', { exact: true })).toBeVisible();
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
    await makeSong(page, first.base);
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
