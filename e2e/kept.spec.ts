import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium, expect, test, type BrowserContext, type Page } from '@playwright/test';
import { findChromium } from '@pannet/launcher/debian';
import { wavFile } from '@pannet/core/formats/wav-write';
import { noise } from '../packages/core/src/measurement/signals.fixture.ts';
import type { OpenedSong } from '../packages/web/src/api/songs.ts';
import { launchOptions } from './launch-options.ts';
import { address, rate, songOf, upload } from './stage.ts';

const kept = async (id: string) =>
  (await (await fetch(`${address()}/api/songs/${id}`)).json()) as OpenedSong;

async function newSong(title: string, seed: number): Promise<string> {
  const bytes = wavFile([noise(2, rate, seed)], rate, '24');
  return songOf(address(), title, [await upload(address(), 'line.wav', bytes)]);
}

async function setTitle(page: Page, title: string): Promise<void> {
  await page.getByLabel('Song title').fill(title);
  await page.getByLabel('Song title').press('Enter');
}

/** The processes of a browser, told by its profile. */
function processesOf(profile: string): number[] {
  return readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .filter((pid) => {
      try {
        return readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(profile);
      } catch {
        return false;
      }
    })
    .map(Number);
}

const openProfile = (profile: string): Promise<BrowserContext> =>
  chromium.launchPersistentContext(profile, launchOptions(findChromium()));

test('a browser that is killed as soon as an offline edit is called kept has it when it is opened again', async () => {
  test.setTimeout(180_000);
  const id = await newSong('Killed browser', 401);
  const profile = mkdtempSync(join(tmpdir(), 'pannet-profile-'));
  try {
    for (const round of [1, 2, 3]) {
      const first = await openProfile(profile);
      const page = first.pages()[0] ?? (await first.newPage());
      await page.goto(`${address()}/songs/${id}`);
      await expect(page.getByTestId('part-line')).toBeVisible();
      await page.route('**/commands', (route) => route.abort());
      await setTitle(page, `Offline ${round}`);
      await expect(
        page.getByTitle(/kept on this computer, even if the browser crashes/),
      ).toBeVisible();
      for (const pid of processesOf(profile)) process.kill(pid, 'SIGKILL');
      await expect.poll(() => processesOf(profile)).toEqual([]);
      expect((await kept(id)).song.title).not.toBe(`Offline ${round}`);

      const second = await openProfile(profile);
      const again = second.pages()[0] ?? (await second.newPage());
      await again.goto(`${address()}/songs/${id}`);
      await expect.poll(async () => (await kept(id)).song.title).toBe(`Offline ${round}`);
      await expect(again.getByText('saved', { exact: true })).toBeVisible();
      await second.close();
    }
  } finally {
    rmSync(profile, { recursive: true, force: true });
  }
});

test('two windows of one song show the same without a reload, and go on working', async ({
  page,
  context,
}) => {
  const id = await newSong('Followed', 402);
  const other = await context.newPage();
  for (const each of [page, other]) {
    await each.goto(`${address()}/songs/${id}`);
    await expect(each.getByTestId('part-line')).toBeVisible();
  }
  await setTitle(page, 'From the first');
  await expect(other.getByLabel('Song title')).toHaveValue('From the first');
  await setTitle(other, 'From the second');
  await expect(page.getByLabel('Song title')).toHaveValue('From the second');
  for (const each of [page, other])
    await expect(each.getByText('saved', { exact: true })).toBeVisible();
  expect((await kept(id)).revision).toBe(3);
  // What the other window did can be taken back here.
  await page.keyboard.press('Escape');
  await page.locator('body').press('Control+z');
  await expect(other.getByLabel('Song title')).toHaveValue('From the first');
});
