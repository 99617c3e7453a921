import { expect, type Page } from '@playwright/test';
import { join } from 'node:path';
import { channelsOf, scratchFolder } from './stage.ts';

export const toSong = (page: Page) => page.getByRole('link', { name: 'Song', exact: true }).click();
export const lane = (page: Page, name: string) => page.getByTestId(`lane-${name}`);
export const nameOf = (page: Page, name: string) =>
  lane(page, name).getByRole('button', { name, exact: true });
export const undo = (page: Page, name: string | RegExp) => page.getByRole('button', { name });

/** Exports what is ticked and nothing else, as one file; where it was saved. */
export async function exportedFile(page: Page, label: string): Promise<string> {
  await page.getByRole('button', { name: 'Export', exact: true }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByRole('checkbox').first()).toBeVisible();
  for (const box of await dialog.getByRole('checkbox').all()) await box.uncheck();
  await dialog.getByRole('checkbox', { name: label }).check();
  await dialog.getByRole('button', { name: 'Render 1 stem' }).click();
  const download = page.waitForEvent('download');
  await dialog.getByRole('button', { name: 'Save the file' }).click({ timeout: 60_000 });
  const path = join(scratchFolder(), 'stem.wav');
  await (await download).saveAs(path);
  await dialog.getByRole('button', { name: 'Close' }).click();
  return path;
}

export const exported = async (page: Page, label: string) =>
  channelsOf(await exportedFile(page, label));

/** Marks the loop across a part's row, from share to share of what is seen. */
export async function dragLoop(page: Page, name: string, from: number, to: number): Promise<void> {
  const box = await lane(page, name).boundingBox();
  if (!box) throw new Error('There is nothing to be seen of it.');
  const y = box.y + 20;
  await page.mouse.move(box.x + from * box.width, y);
  await page.mouse.down();
  await page.mouse.move(box.x + to * box.width, y, { steps: 8 });
  await page.mouse.up();
}
