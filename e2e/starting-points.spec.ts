import { readFileSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import { LoudnessMeter } from '@pannet/core/measurement/loudness';
import { openParts, rate, tap, wakeAudio, applyRecipe } from './stage.ts';

test('a recipe is tried as loud as what it would replace, then dropped or kept', async ({
  page,
}) => {
  await openParts(page, 'Tried', ['solo']);
  await wakeAudio(page);
  const before = await tap(page, 0, 4 * rate, 'heard');
  const row = page.getByTestId('recipe-Doubles alone');
  await row.getByRole('button', { name: 'Listen to Doubles alone' }).click();
  await expect(row.getByRole('status')).toContainText(/matched [−+][\d.]+ LU/);
  await expect(page.getByTestId('voice-left double')).toBeVisible();
  const tried = await tap(page, 0, 4 * rate, 'heard');
  const settled = rate / 2;
  const lufs = ({ left, right }: typeof tried) => {
    const meter = new LoudnessMeter(rate, 2);
    meter.process([left.subarray(settled), right.subarray(settled)], left.length - settled);
    return meter.integrated();
  };
  expect(Math.abs(lufs(tried) - lufs(before))).toBeLessThan(0.5);
  // Nothing has been done yet.
  await expect(page.getByRole('button', { name: /^Undo solo/ })).toBeHidden();
  await row.getByRole('button', { name: 'Listen to Doubles alone' }).click();
  await expect(page.getByTestId('voice-left double')).toBeHidden();
  await row.getByRole('button', { name: 'Listen to Doubles alone' }).click();
  await expect(page.getByTestId('voice-left double')).toBeVisible();
  await applyRecipe(page, 'Doubles alone');
  await expect(page.getByRole('button', { name: 'Undo solo: doubles alone' })).toBeVisible();
  await expect(page.getByTestId('voice-left double')).toBeVisible();
});

test('drafts are kept and taken up by their keys, with what has changed marked, over a reload', async ({
  page,
}) => {
  await openParts(page, 'Drafts', ['solo']);
  await applyRecipe(page, 'One side late');
  await page.keyboard.press('1');
  await applyRecipe(page, 'Mirrored');
  await expect(page.getByRole('button', { name: 'Draft 1, changed' })).toBeVisible();
  await page.keyboard.press('2');
  await expect(page.getByRole('button', { name: 'Draft 2', exact: true })).toBeVisible();
  await page.keyboard.press('1');
  await expect(page.getByTestId('voice-right late')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Undo solo: draft 1' })).toBeVisible();
  await page.getByLabel('Delay of right late', { exact: true }).fill('20');
  await page.getByLabel('Delay of right late', { exact: true }).press('Enter');
  await page.getByLabel('Delay of right late', { exact: true }).blur();
  await page.keyboard.press('Shift+1');
  await expect(page.getByRole('button', { name: 'Draft 1', exact: true })).toBeVisible();
  await expect(page.getByText('saved', { exact: true })).toBeVisible();
  await page.reload();
  await expect(page.getByTestId('voice-right late')).toBeVisible();
  await page.keyboard.press('2');
  await expect(page.getByTestId('voice-difference')).toBeVisible();
  await page.keyboard.press('1');
  await expect(page.getByLabel('Delay of right late', { exact: true })).toHaveValue('20.00');
});

test('an image is carried over to others, mirrored, as one undo', async ({ page }) => {
  await openParts(page, 'Carried', ['one', 'two', 'three']);
  await applyRecipe(page, 'One side late');
  await page.getByRole('button', { name: 'Carry over …' }).click();
  await page.getByLabel('two', { exact: true }).check();
  await page.getByLabel('three', { exact: true }).check();
  await page.getByLabel(/Mirrored: left and right/).check();
  await page.getByRole('button', { name: 'Carry over to 2 parts' }).click();
  await expect(
    page.getByRole('button', { name: 'Undo one carried over to 2 parts, mirrored' }),
  ).toBeVisible();
  await page.getByTestId('part-three').getByRole('button', { name: 'three', exact: true }).click();
  await expect(page.getByLabel('Position of left late', { exact: true })).toHaveValue(/100/);
  await page.keyboard.press('Control+z');
  await expect(page.getByTestId('voice-left late')).toBeHidden();
});

test('own recipes are kept, exported, brought back in, applied and removed', async ({ page }) => {
  await openParts(page, 'Own recipes', ['solo', 'other']);
  await applyRecipe(page, 'Both sides late');
  await page.getByRole('button', { name: 'Recipes', exact: true }).click();
  await page.getByRole('button', { name: 'Keep this image as a recipe …' }).click();
  await page.getByLabel('Name of the recipe').fill('Nine and twenty-three');
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  const row = page.getByTestId('recipe-Nine and twenty-three');
  await expect(row).toBeVisible();
  const [file] = await Promise.all([
    page.waitForEvent('download'),
    page.getByLabel('Save Nine and twenty-three as an image file').click(),
  ]);
  expect(file.suggestedFilename()).toBe('Nine and twenty-three.pannet-image.json');
  const path = await file.path();
  expect(JSON.parse(readFileSync(path, 'utf8'))).toMatchObject({
    format: 'pannet-image',
    name: 'Nine and twenty-three',
  });
  await page.getByLabel('Remove Nine and twenty-three').click();
  await expect(row).toBeHidden();
  await page.getByLabel('Image file to bring in').setInputFiles(path);
  await expect(row).toBeVisible();
  await page.getByLabel('Image file to bring in').setInputFiles({
    name: 'cake.json',
    mimeType: 'application/json',
    buffer: Buffer.from('{"format":"cake"}'),
  });
  await expect(page.getByText(/“cake\.json”: This is not an image file/)).toBeVisible();
  await page.getByTestId('part-other').getByRole('button', { name: 'other', exact: true }).click();
  await applyRecipe(page, 'Nine and twenty-three');
  await expect(page.getByTestId('voice-left late')).toBeVisible();
  await page.getByRole('button', { name: 'Recipes', exact: true }).click();
  await page.getByLabel('Remove Nine and twenty-three').click();
  await expect(row).toBeHidden();
});

test('several voices are edited together; one is heard alone', async ({ page }) => {
  await openParts(page, 'Together', ['solo']);
  await applyRecipe(page, 'Tuned doubles');
  await page.getByRole('row', { name: /left double/ }).click({ position: { x: 8, y: 8 } });
  await page
    .getByRole('row', { name: /right double/ })
    .click({ position: { x: 8, y: 8 }, modifiers: ['Control'] });
  await expect(page.getByText('2 edited together')).toBeVisible();
  const level = page.getByLabel('Level of right double', { exact: true });
  await level.fill('-9');
  await level.press('Enter');
  await expect(page.getByLabel('Level of left double', { exact: true })).toHaveValue('−9.0');
  await level.blur();
  await page.keyboard.press('Control+z');
  await expect(page.getByLabel('Level of left double', { exact: true })).toHaveValue('−6.0');
  await wakeAudio(page);
  await expect(page.getByText(/tuning \d voice/)).toBeHidden();
  await page.getByLabel('Hear left double alone').click();
  const { left, right } = await tap(page, rate, rate, 'heard');
  const energy = (side: Float32Array) => side.reduce((sum, x) => sum + x * x, 0);
  expect(energy(left)).toBeGreaterThan(1);
  expect(energy(right)).toBeLessThan(1e-6);
});
