import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { wavFile } from '@pannet/core/formats/wav-write';
import {
  address,
  applyRecipe,
  channelsOf,
  dropFiles,
  rate,
  scratchFolder,
  steps24,
  tap,
  wakeAudio,
} from './stage.ts';
import { noise, sine } from '../packages/core/src/measurement/signals.fixture.ts';

const wav = (name: string, ...sides: Float32Array[]) => ({
  name,
  bytes: wavFile(sides, rate, '24'),
});

test('what came is asked all at once, with good answers given; nothing of a file is dropped', async ({
  page,
}) => {
  await page.goto(address());
  await page.getByRole('button', { name: 'New song' }).click();
  await expect(page.getByRole('button', { name: 'Choose files' })).toBeVisible();
  await dropFiles(page, '.frame', [
    wav('hum.wav', noise(2, rate, 1)),
    wav('harp take 1.wav', noise(2, rate, 2)),
    wav('harp take 2.wav', noise(2, rate, 3)),
    wav('room.wav', noise(2, rate, 4), noise(2, rate, 5)),
    wav('rough.wav', sine(300, -12, 2, rate), sine(301, -12, 2, rate)),
  ]);
  const asked = page.getByRole('dialog');
  await expect(asked).toContainText('What becomes of 4 files?');
  await asked.getByLabel('What becomes of rough.wav').selectOption({ index: 2 });
  await asked.getByRole('button', { name: 'Bring in' }).click();
  await expect(page.getByText('Bed: rough.wav')).toBeVisible();
  // Both takes stand, and both channels of the stereo file.
  for (const part of ['harp', 'room']) {
    await page.getByTestId(`part-${part}`).click({ position: { x: 150, y: 12 } });
    await expect(page.getByTestId('voice-left')).toBeVisible();
    await expect(page.getByTestId('voice-right')).toBeVisible();
    await expect(page.getByTestId('figure-S/M')).toHaveText(/^[−+]?[0-2]\.\d dB$/);
  }
  await expect(page.getByText('saved', { exact: true })).toBeVisible();
});

test('a pair is one press and moves as mirror images, by mouse and by keys', async ({ page }) => {
  await page.goto(address());
  await page.getByRole('button', { name: 'New song' }).click();
  await dropFiles(page, '.frame', [wav('line.wav', noise(2, rate, 7))]);
  await page.getByRole('button', { name: 'Add a pair' }).click();
  await page.getByLabel('Usual figures of a pair').selectOption({ label: '5 c · 9 / 18 ms' });
  await expect(page.getByLabel('Tuning of left')).toHaveValue('−5.0');
  await expect(page.getByLabel('Tuning of right')).toHaveValue('5.0');
  await expect(page.getByTestId('figure-Lead')).toContainText('ms');
  const left = page.getByTestId('voice-left');
  await left.focus();
  for (let n = 0; n < 3; n++) await page.keyboard.press('Shift+ArrowRight');
  await expect(page.getByLabel('Position of left')).toHaveValue('−70');
  await expect(page.getByLabel('Position of right')).toHaveValue('70');
  const box = await page.getByTestId('voice-right').boundingBox();
  if (!box) throw new Error('Nothing to drag.');
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width / 2 - 60, box.y + box.height / 2, { steps: 5 });
  await page.mouse.up();
  const places = async () =>
    Promise.all(
      ['left', 'right'].map(async (name) =>
        Number((await page.getByLabel(`Position of ${name}`).inputValue()).replace('−', '-')),
      ),
    );
  const [one, two] = await places();
  expect(two).toBeLessThan(70);
  expect(one).toBe(-two);
  await page.getByRole('button', { name: 'Let go' }).click();
  await page.keyboard.press('Escape');
  await left.focus();
  await page.keyboard.press('Shift+ArrowRight');
  await expect.poll(places).toEqual([one + 10, two]);
});

test('what is tried is what all figures are of, with what is kept beside it', async ({ page }) => {
  await page.goto(address());
  await page.getByRole('button', { name: 'New song' }).click();
  await dropFiles(page, '.frame', [wav('line.wav', noise(4, rate, 9))]);
  const width = page.getByTestId('figure-S/M');
  await expect(width).toHaveText('mono');
  // Nobody has touched it: nothing is found.
  await expect(page.getByTestId('finding-still-mono')).toBeHidden();
  await page.getByRole('button', { name: 'Listen to One side late' }).click();
  await expect(page.getByTestId('tried')).toContainText('one side late');
  await expect(width).toHaveText(/^[−+]?[0-2]\.\d dB$/);
  await expect(page.getByTestId('verdict')).toContainText('breaks');
  await expect(page.getByTestId('finding-hollow')).toBeVisible();
  // What it means is no fault of it, tried as well as kept.
  await expect(page.getByTestId('meant-so')).toContainText('leads');
  await expect(page.getByTestId('finding-leads')).toBeHidden();
  await expect(page.getByRole('cell', { name: 'mono' })).toBeVisible();
  const tried = await width.innerText();
  await page.getByRole('button', { name: 'Drop what is tried' }).click();
  await expect(width).toHaveText('mono');
  await expect(page.getByTestId('tried')).toBeHidden();
  // Kept, it measures what it measured when it was tried.
  await applyRecipe(page, 'One side late');
  await expect(width).toHaveText(tried);
  // What the recipe is for is meant so; the hollow fold is not, until that is said.
  await expect(page.getByTestId('meant-so')).toContainText('leads');
  await page.getByRole('button', { name: 'Meant so: hollow' }).click();
  await expect(page.getByTestId('finding-hollow')).toBeHidden();
  await expect(page.getByTestId('meant-so')).toContainText('hollow');
  await page.keyboard.press('Control+z');
  await expect(page.getByTestId('finding-hollow')).toBeVisible();
});

test('parts are put in another order by dragging, and back by undo', async ({ page }) => {
  await page.goto(address());
  await page.getByRole('button', { name: 'New song' }).click();
  await dropFiles(
    page,
    '.frame',
    ['one', 'two', 'three'].map((name, n) => wav(`${name}.wav`, noise(1, rate, 20 + n))),
  );
  const rows = page.locator('[data-testid^="part-"]');
  const order = () =>
    rows.evaluateAll((all) => all.map((row) => row.getAttribute('data-testid')?.slice(5)));
  await expect.poll(order).toEqual(['one', 'two', 'three']);
  const name = page.getByTestId('part-one').getByRole('button', { name: 'one', exact: true });
  const [from, to] = [await name.boundingBox(), await page.getByTestId('part-three').boundingBox()];
  if (!from || !to) throw new Error('Nothing to drag.');
  await page.mouse.move(from.x + 10, from.y + 8);
  await page.mouse.down();
  await page.mouse.move(from.x + 10, from.y + 40, { steps: 4 });
  await page.mouse.move(to.x + 60, to.y + to.height - 8, { steps: 8 });
  await page.mouse.up();
  await expect.poll(order).toEqual(['two', 'three', 'one']);
  await page.keyboard.press('Control+z');
  await expect.poll(order).toEqual(['one', 'two', 'three']);
  await name.focus();
  await page.keyboard.press('Alt+ArrowDown');
  await expect.poll(order).toEqual(['two', 'one', 'three']);
});

test('a part is heard, measured and exported before it is sent; saved after that, it is the same', async ({
  page,
}) => {
  // The server takes nothing until it is let.
  let allow: () => void = () => {};
  const allowed = new Promise<void>((resolve) => (allow = resolve));
  await page.route('**/api/recordings?fileName=*', async (route) => {
    await allowed;
    await route.continue();
  });
  await page.goto(address());
  await page.getByRole('button', { name: 'New song' }).click();
  await dropFiles(page, '.frame', [wav('line.wav', noise(6, rate, 8, 0.1))]);
  await expect(page.getByText('sending line.wav')).toBeVisible();
  await applyRecipe(page, 'Tuned doubles');
  await expect(page.getByTestId('verdict')).toContainText('holds');
  await expect(page.getByText(/tuning \d voice/)).toBeHidden();
  await wakeAudio(page);
  const before = await tap(page, 2 * rate, rate);
  expect(Math.max(...before.left.map(Math.abs))).toBeGreaterThan(0.01);

  await page.getByRole('button', { name: 'Export', exact: true }).click();
  await page.getByRole('button', { name: 'Render 1 stem' }).click();
  const [stem] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Save the file' }).click(),
  ]);
  const path = join(scratchFolder(), 'line_wide.wav');
  await stem.saveAs(path);
  await page.keyboard.press('Escape');
  const [left] = await channelsOf(path);
  const wrong = before.left.filter(
    (value, n) => steps24(value) !== steps24(left[before.frame + n]),
  );
  expect(wrong).toHaveLength(0);
  await expect(page.getByText('saving …')).toBeVisible();
  await expect(page.getByText('sending line.wav')).toBeVisible();

  allow();
  await expect(page.getByText('saved', { exact: true })).toBeVisible();
  await expect(page.getByText('sending line.wav')).toBeHidden();
  await page.reload();
  await expect(page.getByTestId('verdict')).toContainText('holds');
  await expect(page.getByText(/tuning \d voice/)).toBeHidden();
  const after = await tap(page, 2 * rate, rate);
  expect(Buffer.from(after.left.buffer).equals(Buffer.from(before.left.buffer))).toBe(true);
});

test('what comes to the server just after that said it lacks it is measured all the same', async ({
  page,
}) => {
  let ask = () => {};
  const asked = new Promise<void>((resolve) => (ask = resolve));
  let come = () => {};
  const here = new Promise<void>((resolve) => (come = resolve));
  let isHere = false;
  await page.route('**/api/recordings?fileName=*', async (route) => {
    await asked;
    await route.fulfill({ response: await route.fetch() });
    isHere = true;
    setTimeout(come, 100);
  });
  let lacked = 0;
  await page.route('**/api/recordings/ranges', async (route) => {
    if (isHere) return route.continue();
    // What was true when it was asked, told when it is not any more.
    ask();
    await here;
    lacked++;
    await route.fulfill({ status: 404, json: { message: 'It is not kept here.' } });
  });
  await page.goto(address());
  await page.getByRole('button', { name: 'New song' }).click();
  await dropFiles(page, '.frame', [wav('line.wav', noise(4, rate, 9))]);
  await expect(page.getByTestId('figure-S/M')).toHaveText('mono');
  expect(lacked).toBeGreaterThan(0);
});
