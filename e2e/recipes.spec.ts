import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import type { Recipe, Suits } from '@pannet/core/image/recipe';
import { recipes } from '@pannet/core/image/recipes';
import type { Image } from '@pannet/core/image/image';
import { measureStereo } from '@pannet/core/measurement/report';
import {
  channelsOf,
  openDemo,
  rate,
  scratchFolder,
  steps24,
  tap,
  wakeAudio,
  applyRecipe,
} from './stage.ts';

/** Of the demo song, for what a recipe is made for first. */
const partFor: Readonly<Record<Suits, string>> = {
  'single lines': 'Hum',
  chords: 'Reed box',
  struck: 'Wire harp',
  low: 'Long bow',
  driven: 'Reed box',
  clean: 'Wire harp',
};

/** A recipe that suits nothing without a doubt is tried on a single line. */
const partOf = ({ suits }: Recipe): string => partFor[suits.at(0) ?? 'single lines'];

/** All of them sound here. */
const tapFrom = 12 * rate;
const tapFrames = 2 * rate;
/** So far is a delay told apart. */
const leadMs = 0.3;

/** By how much the first voice comes before the second one. */
function planned({ voices: [first, second] }: Image): number {
  return first.tuner.cents === 0 ? 0 : second.delay.value - first.delay.value;
}

async function exported(page: Page, part: string): Promise<readonly Float32Array[]> {
  await page.getByRole('button', { name: 'Export this part' }).click();
  await page.getByRole('button', { name: 'Render 1 stem' }).click();
  const [saved] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Save the file' }).click({ timeout: 60_000 }),
  ]);
  const path = join(scratchFolder(), `${part}.wav`);
  await saved.saveAs(path);
  await page.keyboard.press('Escape');
  await expect(page.getByRole('dialog')).toBeHidden();
  return channelsOf(path);
}

/** One page for all journeys: each takes its own step back at its end. */
let page: Page;
test.beforeAll(async ({ browser }) => {
  page = await browser.newPage();
  await openDemo(page);
  await wakeAudio(page);
});
test.afterAll(() => page.close());

for (const recipe of recipes) {
  test(`${recipe.name}: what it says of fold and width is what the file shows, and what is heard`, async () => {
    const name = partOf(recipe);
    const row = page.getByTestId(`part-${name}`);
    await row.getByRole('button', { name, exact: true }).click();
    await page.getByRole('button', { name: 'Recipes', exact: true }).click();
    await applyRecipe(page, recipe.name);
    for (const { name: voice } of recipe.image.voices)
      await expect(page.getByTestId(`voice-${voice}`).first()).toBeVisible();
    await expect(page.getByText(/tuning \d voice/)).toBeHidden();
    const heard = await tap(page, tapFrom, tapFrames);

    const [left, right] = await exported(page, name);
    let wrong = 0;
    for (let n = 0; n < tapFrames; n++)
      if (
        steps24(heard.left[n]) !== steps24(left[heard.frame + n]) ||
        steps24(heard.right[n]) !== steps24(right[heard.frame + n])
      )
        wrong++;
    expect(wrong).toBe(0);

    const { report } = measureStereo(left, right, rate);
    const { foldDb, widthDb, leads, combed } = recipe.promise;
    expect(report.stillMono).toBe(false);
    expect(report.fold.lossDb).toBeGreaterThanOrEqual(foldDb[0]);
    expect(report.fold.lossDb).toBeLessThanOrEqual(foldDb[1]);
    expect(report.sideToMidDb).toBeGreaterThanOrEqual(widthDb[0]);
    expect(report.sideToMidDb).toBeLessThanOrEqual(widthDb[1]);
    if (combed === true) expect(report.fold.deepestDipDb).toBeGreaterThan(6);
    // What wanders is hollow for moments: of those nothing is sure over all.
    else
      expect(combed === 'at times' ? report.fold.sureDipDb : report.fold.deepestDipDb).toBeLessThan(
        6,
      );
    // What is tuned against itself is too unlike for a lead that is sure: its delays say it.
    if (leads === 'L') expect(report.leadMs ?? planned(recipe.image)).toBeGreaterThan(leadMs);
    else expect(Math.abs(report.leadMs ?? 0)).toBeLessThan(2.5);
    await page.keyboard.press('Control+z');
  });
}
