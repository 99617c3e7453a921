import { spawn } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { expect, test, type Page } from '@playwright/test';
import { wavFile } from '@pannet/core/formats/wav-write';
import { freePort } from '@pannet/launcher/postgres';
import { startServerProcess, stopServerProcess } from '@pannet/launcher/server-process';
import pg from 'pg';
import { noise } from '../packages/core/src/measurement/signals.fixture.ts';
import type { OpenedSong } from '../packages/web/src/api/songs.ts';
import {
  address,
  dropFiles,
  post,
  rate,
  repository,
  seriousFaults,
  songOf,
  upload,
} from './stage.ts';

const bytes = (seed: number) => wavFile([noise(2, rate, seed)], rate, '24');

async function newSong(title: string, seed: number): Promise<string> {
  const recording = await upload(address(), 'line.wav', bytes(seed));
  return songOf(address(), title, [recording]);
}

const kept = async (id: string) =>
  (await (await fetch(`${address()}/api/songs/${id}`)).json()) as OpenedSong;

async function setLevel(page: Page, value: string): Promise<void> {
  const level = page.getByLabel('Level of centre', { exact: true });
  await level.fill(value);
  await level.press('Enter');
}

const saved = (page: Page) => expect(page.getByText('saved', { exact: true })).toBeVisible();

test('two windows: an edit that came too late goes into a copy of its own, and nothing is overwritten', async ({
  page,
  context,
}) => {
  const id = await newSong('Two windows', 301);
  // It has not learned of the change yet when it makes its own.
  await page.route('**/revision', (route) => route.abort());
  await page.goto(`${address()}/songs/${id}`);
  await expect(page.getByTestId('part-line')).toBeVisible();
  const second = await context.newPage();
  await second.goto(`${address()}/songs/${id}`);
  await setLevel(second, '-3');
  await saved(second);
  await setLevel(page, '-9');
  const choice = page.getByRole('button', { name: 'Open a copy with 1 unsaved edit' });
  await expect(choice).toBeVisible();
  await choice.click();
  await expect(page.getByLabel('Song title')).toHaveValue('Two windows (my steps)');
  await expect(page.getByLabel('Level of centre', { exact: true })).toHaveValue('−9.0');
  const levels = (song: OpenedSong) =>
    Object.values(song.song.parts).map((part) => part.image.voices[0].levelDb);
  expect(levels(await kept(id))).toEqual([-3]);
  expect(page.url()).not.toContain(id);
});

test('what could not be sent and fits no more is asked about when the song is opened again', async ({
  page,
}) => {
  const id = await newSong('Later', 302);
  await page.goto(`${address()}/songs/${id}`);
  await expect(page.getByTestId('part-line')).toBeVisible();
  await page.route('**/commands', (route) => route.abort());
  await setLevel(page, '-9');
  await expect(page.getByText(/server lost · 1 edit waiting/)).toBeVisible();
  const edits = [{ kind: 'set-title', title: 'Changed meanwhile' }];
  await post(`${address()}/api/songs/${id}/commands`, {
    baseRevision: 1,
    commands: [{ id: randomUUID(), name: 'title', role: 'do', edits }],
  });
  await page.unroute('**/commands');
  await page.reload();
  const question = page.getByRole('alert').filter({ hasText: 'of an earlier visit was not saved' });
  await expect(question).toContainText('level');
  expect(await seriousFaults(page)).toEqual([]);
  // It does not go away by itself.
  await page.reload();
  await question.getByRole('button', { name: 'Drop it' }).click();
  await expect(question).toBeHidden();
  await page.reload();
  await expect(page.getByLabel('Song title')).toHaveValue('Changed meanwhile');
  await expect(question).toBeHidden();
  await expect(page.getByLabel('Level of centre', { exact: true })).toHaveValue('0.0');
});

test('a browser with no room, or without storage, saves all the same and says what it cannot keep', async ({
  page,
}) => {
  const id = await newSong('No room', 303);
  for (const broken of ['full', 'forbidden']) {
    await page.addInitScript((how) => {
      Object.defineProperty(globalThis, 'indexedDB', {
        configurable: true,
        get: () => {
          throw new DOMException('No.', 'SecurityError');
        },
      });
      if (how === 'full')
        Storage.prototype.setItem = () => {
          throw new DOMException('Full.', 'QuotaExceededError');
        };
      else
        for (const name of ['localStorage', 'sessionStorage'])
          Object.defineProperty(globalThis, name, {
            configurable: true,
            get: () => {
              throw new DOMException('No.', 'SecurityError');
            },
          });
    }, broken);
    await page.goto(`${address()}/songs/${id}`);
    await expect(page.getByTestId('part-line')).toBeVisible();
    const before = (await kept(id)).revision;
    await setLevel(page, broken === 'full' ? '-4' : '-5');
    await saved(page);
    expect((await kept(id)).revision).toBe(before + 1);
    await page.route('**/commands', (route) => route.abort());
    await setLevel(page, '-6');
    await expect(page.getByText(/this browser keeps nothing .* leave the page open/)).toBeVisible();
    await page.unroute('**/commands');
    await saved(page);
  }
});

test('strange addresses and strange answers have their pages', async ({ page }) => {
  const id = await newSong('Strange', 304);
  for (const part of ['constructor', '__proto__', 'toString']) {
    await page.goto(`${address()}/songs/${id}/parts/${part}/image`);
    await expect(page.getByTestId('part-line')).toHaveAttribute('aria-current', 'true');
  }
  await page.goto(`${address()}/songs/constructor`);
  await expect(page.getByText('The song could not be opened')).toBeVisible();
  for (const body of ['{}', 'null', '[]', '<html></html>']) {
    await page.route(/\/api\/songs\/[^/]+$/, (route) =>
      route.fulfill({ status: 200, contentType: 'application/json', body }),
    );
    await page.goto(`${address()}/songs/${id}`);
    await expect(page.getByText('not understood here')).toBeVisible();
    await page.unroute(/\/api\/songs\/[^/]+$/);
    await page.route('**/api/songs', (route) =>
      route.fulfill({ status: 200, contentType: 'application/json', body }),
    );
    await page.goto(address());
    await expect(
      page.getByText(body === '[]' ? 'There is no song yet' : 'not understood here'),
    ).toBeVisible({ timeout: 30_000 });
    await page.unroute('**/api/songs');
  }
});

test('a page that is loaded anew during an import says what is missing', async ({ page }) => {
  const id = await newSong('Import', 305);
  await page.goto(`${address()}/songs/${id}`);
  await expect(page.getByTestId('part-line')).toBeVisible();
  // Never answered.
  await page.route('**/api/recordings?*', () => {});
  const files = ['late.wav', 'later.wav'].map((name, n) => ({
    name,
    mimeType: 'audio/wav',
    buffer: Buffer.from(bytes(306 + n)),
  }));
  await page.locator('input[type=file]').first().setInputFiles(files);
  await expect(page.getByLabel('Import', { exact: true })).toContainText('importing 2 files');
  await page.reload();
  const said = page.getByLabel('Import', { exact: true });
  await expect(said).toContainText('“late.wav” had not come whole');
  await expect(said).toContainText('“later.wav” had not come whole');
});

test('with accounts: signing in, sharing to read, and an ended session that loses nothing', async ({
  browser,
}) => {
  const databaseUrl = (process.env.E2E_DATABASE as string).replace(/\/demo$/, '/accounts_journey');
  const client = new pg.Client({ connectionString: process.env.E2E_ADMIN });
  await client.connect();
  await client.query(`CREATE DATABASE accounts_journey OWNER ${new URL(databaseUrl).username}`);
  await client.end();
  const password = 'seven grey herons on a wire';
  for (const name of ['berta', 'olaf']) {
    const added = spawn(
      'node',
      [`${repository}packages/server/dist/maintenance.js`, 'account', 'add', name],
      { env: { ...process.env, NODE_OPTIONS: '', DATABASE_URL: databaseUrl } },
    );
    added.stdin.end(`${password}\n`);
    expect(await new Promise((resolve) => added.once('exit', resolve))).toBe(0);
  }
  const port = await freePort();
  const base = `http://127.0.0.1:${port}`;
  const environment = { PANNET_ACCOUNTS: 'on' };
  const server = await startServerProcess({ databaseUrl, port, demo: false, environment });
  try {
    const signedIn = async (name: string) => {
      const page = await (await browser.newContext()).newPage();
      await page.goto(base);
      await expect(page.getByRole('button', { name: 'Sign in' })).toBeVisible();
      expect(await seriousFaults(page)).toEqual([]);
      await page.getByLabel('Name').fill(name);
      await page.getByLabel('Password').fill('not the password');
      await page.getByRole('button', { name: 'Sign in' }).click();
      await expect(page.getByText('no account of this name and password')).toBeVisible();
      await page.getByLabel('Password').fill(password);
      await page.getByRole('button', { name: 'Sign in' }).click();
      await expect(page.getByRole('button', { name: 'Sign out' })).toBeVisible();
      return page;
    };
    const owner = await signedIn('berta');
    await owner.getByRole('button', { name: 'New song' }).click();
    await dropFiles(owner, '.frame', [
      { name: 'line.wav', bytes: wavFile([noise(4, rate, 92, 0.1)], rate, '24') },
    ]);
    await expect(owner.getByTestId('part-line')).toBeVisible();
    await saved(owner);
    await owner.getByRole('button', { name: 'Who else sees this song' }).click();
    await owner.getByLabel('Name of an account').fill('olaf');
    await owner.getByLabel('What they may do').selectOption('read');
    await owner.getByRole('button', { name: 'Share', exact: true }).click();
    await expect(owner.getByLabel('What olaf may do')).toHaveValue('read');
    expect(await seriousFaults(owner)).toEqual([]);
    await owner.keyboard.press('Escape');

    const reader = await signedIn('olaf');
    await expect(reader.getByText('berta’s, to read')).toBeVisible();
    await reader.getByRole('link', { name: 'Untitled song' }).click();
    await expect(reader.getByText('to read only')).toBeVisible();
    await reader.getByRole('button', { name: 'Play' }).first().click();
    await reader.getByRole('button', { name: 'Add voice' }).click();
    await expect(reader.getByText(/shared with you to read/)).toBeVisible();

    // The session ends on the server while the owner works on.
    const sessions = new pg.Client({ connectionString: databaseUrl });
    await sessions.connect();
    await sessions.query('DELETE FROM sessions');
    await sessions.end();
    await owner.getByRole('button', { name: 'Add voice' }).click();
    await expect(owner.getByText('not saved · 1 edit waiting')).toBeVisible();
    await owner.getByRole('button', { name: 'Sign in and save it' }).click();
    await owner.getByLabel('Name', { exact: true }).fill('berta');
    await owner.getByLabel('Password').fill(password);
    await owner.getByRole('dialog').getByRole('button', { name: 'Sign in' }).click();
    await saved(owner);
  } finally {
    await stopServerProcess(server);
  }
});
