import { expect, test, type Page } from '@playwright/test';
import { wavFile } from '@pannet/core/formats/wav-write';
import { outsideDb, rms, sine } from '../packages/core/src/measurement/signals.fixture.ts';
import { address, middleOf, rate, songOf, tap, upload, voiceBar, wakeAudio } from './stage.ts';

const frames = 3 * rate;

/** Collects three seconds of the part while the mouse does its work. */
async function tapWhile(page: Page, work: () => Promise<void>): Promise<void> {
  const collecting = tap(page, null, frames);
  await work();
  const { left, right } = await collecting;
  for (const side of [left, right])
    if (rms(side) > 1e-3) expect(outsideDb(side, rate, 900, 1100)).toBeLessThan(-60);
  expect(Math.max(rms(left), rms(right))).toBeGreaterThan(0.01);
}

async function dragBy(
  page: Page,
  from: { x: number; y: number },
  dx: number,
  dy: number,
): Promise<void> {
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  const moves = 60;
  for (let n = 1; n <= moves; n++) {
    await page.mouse.move(from.x + (dx * n) / moves, from.y + (dy * n) / moves);
    await page.waitForTimeout(16);
  }
  await page.mouse.up();
}

test('dragging delay, position, level and width of a 1 kHz sine leaves nothing above −60 dB outside 900 to 1100 Hz', async ({
  page,
}) => {
  const recording = await upload(
    address(),
    'tone.wav',
    wavFile([sine(1000, -12, 60, rate)], rate, '24'),
  );
  const id = await songOf(address(), 'A tone', [recording]);
  await page.goto(`${address()}/songs/${id}`);
  await page.getByRole('button', { name: 'Apply One side late' }).click();
  await wakeAudio(page);
  await page.getByRole('button', { name: 'Play' }).click();
  await page.waitForTimeout(500);

  const late = () => middleOf(voiceBar(page, 'right late'));
  await tapWhile(page, async () => dragBy(page, await late(), 0, 40));
  await tapWhile(page, async () => dragBy(page, await late(), -230, 0));
  const unit = page.getByTitle('Drag up or down').filter({ hasText: 'dB' });
  const level = page.getByLabel('Level of right late', { exact: true }).locator('xpath=../span');
  await expect(unit.first()).toBeVisible();
  await tapWhile(page, async () => dragBy(page, await middleOf(level), 0, 80));
  const width = page.getByLabel('Width, slider');
  const box = await width.boundingBox();
  if (!box) throw new Error('The width has no slider.');
  await tapWhile(page, async () =>
    dragBy(page, { x: box.x + box.width / 2, y: box.y + box.height / 2 }, 60, 0),
  );
  await expect(page.getByRole('button', { name: /^Undo tone: width 100 → / })).toBeVisible();
});

test('listening modes, solo, mute and plain change without a click', async ({ page }) => {
  const recording = await upload(
    address(),
    'tone.wav',
    wavFile([sine(1000, -12, 60, rate)], rate, '24'),
  );
  const id = await songOf(address(), 'A tone again', [recording]);
  await page.goto(`${address()}/songs/${id}`);
  await page.getByRole('button', { name: 'Apply Mirrored' }).click();
  await wakeAudio(page);
  await page.getByRole('button', { name: 'Play' }).click();
  await page.waitForTimeout(500);
  await expect(page.getByText(/matched/)).toBeVisible({ timeout: 60_000 });
  const collecting = tap(page, null, frames, 'heard');
  const press = async (keys: string[]) => {
    for (const key of keys) {
      await page.keyboard.press(key);
      await page.waitForTimeout(220);
    }
  };
  await press(['f', 'f', 'p', 'p']);
  for (const name of ['Difference', 'L', 'Stereo']) {
    await page.getByRole('button', { name, exact: true }).click();
    await page.waitForTimeout(150);
  }
  await page.getByRole('button', { name: 'Mute tone', exact: true }).click();
  await page.waitForTimeout(200);
  await page.getByRole('button', { name: 'Mute tone', exact: true }).click();
  const { left } = await collecting;
  expect(outsideDb(left, rate, 900, 1100)).toBeLessThan(-60);
});
