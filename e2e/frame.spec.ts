import { gzipSync } from 'node:zlib';
import { expect, test, type Page, type Response } from '@playwright/test';
import { wavFile } from '@pannet/core/formats/wav-write';
import { noise } from '../packages/core/src/measurement/signals.fixture.ts';
import {
  address,
  middleOf,
  openDemo,
  post,
  rate,
  seriousFaults,
  songOf,
  upload,
  voiceBar,
  applyRecipe,
} from './stage.ts';

test('nothing serious stands in the way of those who cannot see or use a mouse', async ({
  page,
}) => {
  await page.goto(address());
  await expect(page.getByRole('link', { name: 'The Lantern Ferry' })).toBeVisible();
  expect(await seriousFaults(page)).toEqual([]);
  await openDemo(page);
  await page.getByRole('button', { name: 'Reed box', exact: true }).click();
  await expect(page.getByTestId('verdict')).toContainText('holds', { timeout: 60_000 });
  expect(await seriousFaults(page)).toEqual([]);
  await page.keyboard.press('?');
  await expect(page.getByText('Keys and words')).toBeVisible();
  expect(await seriousFaults(page)).toEqual([]);
});

test('every part has its address: back, forward and reload keep it', async ({ page }) => {
  await openDemo(page);
  await page.getByRole('button', { name: 'Wire harp', exact: true }).click();
  await expect(page).toHaveURL(/parts\/wire-harp\/image$/);
  await page.getByRole('button', { name: 'Long bow', exact: true }).click();
  await expect(page).toHaveURL(/parts\/long-bow\/image$/);
  await page.goBack();
  await expect(page.getByTestId('part-Wire harp')).toHaveAttribute('aria-current', 'true');
  await page.goForward();
  await page.reload();
  await expect(page.getByTestId('part-Long bow')).toHaveAttribute('aria-current', 'true');
  await expect(page).toHaveURL(/parts\/long-bow\/image$/);
  // Back before the address that the press gave has been drawn.
  const selected = await page.evaluate(async () => {
    const row = (part: string) =>
      document.querySelector<HTMLElement>(`[data-testid="part-${part}"]`);
    [...row('Wire harp')!.querySelectorAll('button')]
      .find((button) => button.textContent === 'Wire harp')!
      .click();
    await new Promise((done) => {
      addEventListener('popstate', done, { once: true });
      const look = () => {
        if (location.pathname.includes('wire-harp')) history.back();
        else setTimeout(look);
      };
      look();
    });
    return location.pathname;
  });
  expect(selected).toMatch(/long-bow\/image$/);
  await expect(page.getByTestId('part-Long bow')).toHaveAttribute('aria-current', 'true');
});

test('the figures are the same each time, also while several workers read one recording at once', async ({
  page,
}) => {
  const seen = new Set<string>();
  for (let n = 0; n < 4; n++) {
    await openDemo(page);
    // At once, so that wave, splices and measurement all want the same bytes.
    await page.getByRole('button', { name: 'Reed box', exact: true }).click();
    const [width, correlation] = ['S/M', 'Correl.'].map((name) =>
      page.getByTestId(`figure-${name}`),
    );
    await expect(width).toHaveText(/^−[67]\.\d dB$/, { timeout: 30_000 });
    await expect(correlation).toHaveText(/^\+0\.6\d$/);
    seen.add(`${await width.textContent()} ${await correlation.textContent()}`);
  }
  expect([...seen]).toHaveLength(1);
});

test('a voice is placed from the keyboard, and the verdict follows', async ({ page }) => {
  const recording = await upload(address(), 'keys.wav', wavFile([noise(4, rate, 90)], rate, '24'));
  await page.goto(`${address()}/songs/${await songOf(address(), 'By key', [recording])}`);
  await applyRecipe(page, 'One side late');
  await expect(page.getByTestId('verdict')).toContainText('breaks', { timeout: 30_000 });
  await expect(page.getByTestId('figure-Lead')).toHaveText('L 14.0 ms');
  const late = page.getByTestId('voice-right late');
  await late.focus();
  await page.keyboard.press('Shift+ArrowDown');
  await expect(page.getByTestId('figure-Lead')).toHaveText('L 15.0 ms');
  await page.keyboard.press('Alt+ArrowDown');
  await expect(late).toHaveAttribute('aria-label', /15\.02 ms · 721 smp/);
  for (let n = 0; n < 3; n++) await page.keyboard.press('Shift+ArrowLeft');
  await expect(page.getByLabel('Position of right late', { exact: true })).toHaveValue('70');
  // A key that is pressed again and again is one gesture, and one undo.
  await page.keyboard.press('Control+z');
  await expect(page.getByLabel('Position of right late', { exact: true })).toHaveValue('100');
  const bar = await middleOf(voiceBar(page, 'right late'));
  await page.mouse.move(bar.x, bar.y);
  for (let n = 0; n < 5; n++) await page.mouse.wheel(0, 100);
  await expect(late).toHaveAttribute('aria-label', /15\.50 ms/);
  await page.keyboard.press('Control+z');
  await expect(late).toHaveAttribute('aria-label', /15\.02 ms · 721 smp/);
});

test('an export can be stopped; songs are renamed, deleted and brought back', async ({ page }) => {
  const recording = await upload(
    address(),
    'long.wav',
    wavFile([noise(240, rate, 91, 0.05)], rate, '16'),
  );
  await songOf(address(), 'To be stopped', [recording]);
  await page.goto(address());
  await page.getByRole('link', { name: 'To be stopped' }).click();
  await applyRecipe(page, 'Tuned doubles');
  await page.getByRole('button', { name: 'Export', exact: true }).click();
  await page.getByRole('button', { name: 'Render 1 stem' }).click();
  await expect(page.getByText('Rendering long_wide.wav …')).toBeVisible();
  await page.getByRole('button', { name: 'Stop', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Render 1 stem' })).toBeVisible();
  await page.keyboard.press('Escape');

  await page.getByRole('link', { name: 'Songs' }).click();
  await page.getByRole('button', { name: 'Rename To be stopped' }).click();
  await page.getByLabel('Title', { exact: true }).fill('Renamed');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('link', { name: 'Renamed' })).toBeVisible();
  await page.getByRole('button', { name: 'Delete Renamed' }).click();
  await expect(page.getByRole('link', { name: 'Renamed' })).toBeHidden();
  await page.getByRole('status').getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByRole('link', { name: 'Renamed' })).toBeVisible();
});

test('a song changed in another window is said, and can be taken over', async ({
  page,
  context,
}) => {
  const recording = await upload(address(), 'rival.wav', wavFile([noise(2, rate, 92)], rate, '24'));
  const url = `${address()}/songs/${await songOf(address(), 'Rivals', [recording])}`;
  const other = await context.newPage();
  // It has not learned of the change yet when it makes its own.
  await other.route('**/revision', (route) => route.abort());
  await page.goto(url);
  await other.goto(url);
  await applyRecipe(page, 'Mirrored');
  await expect(page.getByText('saved', { exact: true })).toBeVisible();
  await applyRecipe(other, 'One side late');
  await expect(other.getByText('changed in another window')).toBeVisible();
  await other.getByRole('button', { name: /^Take over here, without 1 unsaved edit/ }).click();
  await expect(other.getByTestId('voice-difference')).toBeVisible();
  await expect(other.getByText('saved', { exact: true })).toBeVisible();
});

/** What the page's own scripts of a visit weigh, as a server sends them that compresses; workers come beside them. */
async function scriptsOf(page: Page, visit: () => Promise<void>): Promise<number> {
  const sizes: Promise<number>[] = [];
  const count = (response: Response) => {
    const isWorker = /worke(?:r|let)-|worklet/.test(response.url());
    if (response.request().resourceType() === 'script' && !isWorker)
      sizes.push(response.body().then((body) => gzipSync(body).length));
  };
  page.on('response', count);
  await visit();
  page.off('response', count);
  return (await Promise.all(sizes)).reduce((sum, size) => sum + size, 0);
}

test('the list of songs comes with at most 150 kB of scripts, a song with 300, charts when there is something to draw', async ({
  browser,
}) => {
  const page = await browser.newPage();
  const list = await scriptsOf(page, async () => {
    await page.goto(address());
    await expect(page.getByRole('link', { name: 'The Lantern Ferry' })).toBeVisible();
    await page.waitForLoadState('networkidle');
  });
  expect(list).toBeGreaterThan(20_000);
  expect(list).toBeLessThan(150_000);
  await page.close();
  // A song that is empty needs no charts.
  const { id } = await post<{ id: string }>(`${address()}/api/songs`, { title: 'Empty' });
  const other = await browser.newPage();
  const song = await scriptsOf(other, async () => {
    await other.goto(`${address()}/songs/${id}`);
    await expect(other.getByText('This song is empty')).toBeVisible();
    await other.waitForLoadState('networkidle');
  });
  expect(song).toBeLessThan(300_000);
  await other.close();
});
