import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test, type Locator, type Page } from '@playwright/test';
import { bytesInMemory } from '@pannet/core/formats/byte-source';
import { readWavLayout } from '@pannet/core/formats/wav-read';
import { wavFile } from '@pannet/core/formats/wav-write';
import { measureStereo, type StereoReport } from '@pannet/core/measurement/report';
import { readWavChannels } from '@pannet/core/sources/wav-blocks';
import { unzipSync } from 'fflate';
import { noise } from '../packages/core/src/measurement/signals.fixture.ts';
import { address, dropFiles, middleOf, rate, scratchFolder, voiceBar } from './stage.ts';

const seconds = 6;
const names = ['lead', 'answer', 'chorus'];
const stems = names.map((name, n) => ({
  name: `${name}.wav`,
  bytes: wavFile([noise(seconds, rate, 40 + n, 0.1)], rate, '24'),
}));
const roughMix = {
  name: 'rough mix.wav',
  bytes: wavFile([noise(seconds, rate, 50, 0.1), noise(seconds, rate, 51, 0.1)], rate, '24'),
};

/** What each of the files in a zip measures, by the part's name. */
async function measured(path: string): Promise<Map<string, StereoReport>> {
  const reports = new Map<string, StereoReport>();
  for (const [file, content] of Object.entries(unzipSync(new Uint8Array(readFileSync(path))))) {
    const bytes = bytesInMemory(content);
    const layout = await readWavLayout(bytes, file);
    if (!layout.ok) throw new Error(layout.error.sentence);
    expect(layout.value).toMatchObject({ channels: 2, rateHz: rate, frames: seconds * rate });
    const [left, right] = await readWavChannels(bytes, layout.value);
    reports.set(file.replace(/_wide\.wav$/, ''), measureStereo(left, right, rate).report);
  }
  return reports;
}

test('three stems and a rough mix to three checked wide stems: six presses and two drags', async ({
  page,
}) => {
  let presses = 0;
  let drags = 0;
  const press = async (control: Locator) => {
    presses++;
    await control.click({ timeout: 60_000 });
  };
  await page.goto(address());
  drags++;
  await dropFiles(page, '.songs-page', [...stems, roughMix]);
  await expect(page.getByText('Bed: rough mix.wav')).toBeVisible({ timeout: 30_000 });
  await expect(page.getByText('3 parts are selected')).toBeVisible();

  await press(page.getByRole('button', { name: 'Apply One side late', exact: true }));
  await expect(page.getByRole('button', { name: 'Undo 3 parts: one side late' })).toBeVisible();
  // The first of them by hand: its late side a good deal later.
  const late = page.getByTestId('voice-right late');
  const bar = await middleOf(voiceBar(page, 'right late'));
  drags++;
  await page.mouse.move(bar.x, bar.y);
  await page.mouse.down();
  await page.mouse.move(bar.x, bar.y + 60, { steps: 6 });
  await page.mouse.up();
  await expect(late).toHaveAttribute('aria-label', /(19|2\d)\.\d\d ms/);
  const hollow = page.getByTestId('finding-hollow');
  await expect(hollow).toBeVisible({ timeout: 30_000 });
  await press(hollow.getByRole('button', { name: 'Try a mend for: hollow' }));
  await press(hollow.getByRole('button', { name: 'Keep the mend for: hollow' }));
  await expect(hollow).toBeHidden({ timeout: 30_000 });

  await press(page.getByRole('button', { name: 'Export', exact: true }));
  await press(page.getByRole('button', { name: 'Render 3 stems' }));
  const [zip] = await Promise.all([
    page.waitForEvent('download'),
    press(page.getByRole('button', { name: 'Save as one zip' })),
  ]);
  expect(presses).toBeLessThanOrEqual(6);
  expect(drags).toBeLessThanOrEqual(2);

  const path = join(scratchFolder(), 'stems.zip');
  await zip.saveAs(path);
  const reports = await measured(path);
  expect([...reports.keys()].sort()).toEqual([...names].sort());
  for (const [name, report] of reports) {
    expect(report.stillMono).toBe(false);
    expect(report.sideToMidDb).toBeGreaterThan(-3);
    // What was mended is hollow no more; the others are as the recipe says that they are.
    const { deepestDipDb } = report.fold;
    if (name === 'lead') expect(deepestDipDb).toBeLessThan(6);
    else {
      const mended = reports.get('lead')?.fold.deepestDipDb ?? NaN;
      expect(deepestDipDb).toBeGreaterThan(mended + 1);
      expect(report.leadMs).toBeCloseTo(14, 1);
    }
  }
});

/** Goes on from control to control until one has the focus, as who has no mouse does. */
async function tabTo(page: Page, control: Locator): Promise<void> {
  await expect(control).toBeEnabled({ timeout: 60_000 });
  for (let n = 0; n < 200; n++) {
    if (await control.evaluate((element) => element === document.activeElement)) return;
    await page.keyboard.press('Tab');
  }
  throw new Error('It cannot be reached by the Tab key.');
}

test('all of it from the keyboard alone', async ({ page }) => {
  test.setTimeout(180_000);
  const button = (name: string | RegExp) => page.getByRole('button', { name, exact: true });
  const reach = async (control: Locator, key: 'Enter' | 'Space') => {
    await tabTo(page, control);
    await page.keyboard.press(key);
  };
  const folder = scratchFolder();
  for (const { name, bytes } of stems) writeFileSync(join(folder, name), bytes);
  await page.goto(address());
  await reach(button('New song'), 'Enter');
  const chooser = page.waitForEvent('filechooser');
  await reach(button('Choose files'), 'Space');
  await (await chooser).setFiles(stems.map(({ name }) => join(folder, name)));
  await expect(page.getByText('3 parts are selected')).toBeVisible({ timeout: 30_000 });
  // One of them alone, and all again.
  await reach(
    page.getByTestId('part-answer').getByRole('button', { name: 'answer', exact: true }),
    'Enter',
  );
  await expect(page.getByText('3 parts are selected')).toBeHidden();
  await page.keyboard.press('Control+a');
  await expect(page.getByText('3 parts are selected')).toBeVisible();

  await reach(button('Listen to Mirrored'), 'Space');
  await expect(page.getByTestId('tried')).toContainText('mirrored');
  await reach(button('Apply Mirrored'), 'Enter');
  await expect(button('Undo 3 parts: mirrored')).toBeVisible();
  await reach(
    page.getByTestId('part-lead').getByRole('button', { name: 'lead', exact: true }),
    'Enter',
  );
  const voice = page.locator('[data-testid^="voice-"][tabindex="0"]').first();
  await tabTo(page, voice);
  const before = await voice.getAttribute('aria-label');
  await page.keyboard.press('Shift+ArrowDown');
  await expect(voice).not.toHaveAttribute('aria-label', before ?? '');
  await page.keyboard.press('Control+z');
  await expect(voice).toHaveAttribute('aria-label', before ?? '');
  await page.keyboard.press('Escape');

  // Typed, and by the arrow keys of a field.
  const level = page.getByLabel('Level of lead');
  await tabTo(page, level);
  await page.keyboard.press('Control+a');
  await page.keyboard.type('-3');
  await page.keyboard.press('Enter');
  await expect(level).toHaveValue('−3.0');

  // On the wave: closer, along, the loop, and out again.
  const wave = page.getByRole('slider', { name: 'Place in the song' });
  await tabTo(page, wave);
  await page.keyboard.press('+');
  await expect(button('Farther')).toBeEnabled();
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Shift+Home');
  await page.keyboard.press('Shift+ArrowRight');
  await page.keyboard.press('Shift+End');
  await expect(button(/^Loop/)).toHaveAttribute('aria-pressed', 'true');
  await page.keyboard.press('0');
  await expect(button('Farther')).toBeDisabled();
  await page.keyboard.press(' ');
  await expect(button('Stop')).toBeVisible();
  for (const key of ['f', 'p', 'p', 'f', ' ']) await page.keyboard.press(key);
  await expect(button('Play')).toBeVisible();

  await reach(button('Export'), 'Enter');
  await reach(page.getByRole('dialog').getByLabel('answer'), 'Space');
  await reach(button(/^Render \d stems?$/), 'Enter');
  const saved = page.waitForEvent('download', { timeout: 60_000 });
  await reach(button(/^Save (as one zip|the file)$/), 'Space');
  const path = join(folder, 'saved');
  await (await saved).saveAs(path);
  const reports = await measured(path);
  expect([...reports.keys()].sort()).toEqual(['answer', 'lead']);
  // Mirrored voices leave nothing of themselves in the fold: it is the plain take.
  for (const { stillMono, fold } of reports.values()) {
    expect(stillMono).toBe(false);
    expect(fold.deepestDipDb).toBeLessThan(1);
  }
});

test('the wave comes closer, to a sample, by wheel, ruler and buttons, and is heard from where it is pressed', async ({
  page,
}) => {
  await page.goto(address());
  await dropFiles(page, '.songs-page', [stems[0]]);
  const wave = page.getByRole('slider', { name: 'Place in the song' });
  await expect(wave).toBeVisible();
  const box = await wave.boundingBox();
  if (!box) throw new Error('There is no wave.');
  const marks = async () =>
    ((await page.getByTestId('ruler').getAttribute('data-marks')) ?? '').split(' ');
  const shown = async () => {
    const [first, second] = await marks();
    const of = (text: string) => Number(text.split(':')[1]) + 60 * Number(text.split(':')[0]);
    return { first: of(first), step: of(second) - of(first) };
  };
  await expect.poll(async () => (await shown()).step).toBe(1);
  await page.mouse.move(box.x + box.width / 2, box.y + 20);
  for (let n = 0; n < 40; n++) await page.mouse.wheel(0, -240);
  await expect.poll(async () => (await shown()).step).toBeLessThan(0.0002);
  // What was under the pointer still is: half of six seconds.
  expect((await shown()).first).toBeGreaterThan(2.9);
  expect((await shown()).first).toBeLessThan(3.1);
  const frame = () =>
    page.evaluate(
      () =>
        (
          globalThis as unknown as {
            pannet: { playback: { store: { getState(): { frame: number } } } };
          }
        ).pannet.playback.store.getState().frame,
    );
  await page.mouse.click(box.x + box.width / 2, box.y + 20);
  const pressed = await frame();
  expect(Math.abs(pressed - (seconds * rate) / 2)).toBeLessThan(0.1 * rate);
  await wave.press('Alt+ArrowRight');
  expect(await frame()).toBe(pressed + 1);
  // The ruler: down is farther, sideways goes along.
  const ruler = await middleOf(page.getByTestId('ruler'));
  const before = (await shown()).step;
  await page.mouse.move(ruler.x, ruler.y);
  await page.mouse.down();
  await page.mouse.move(ruler.x, ruler.y + 200, { steps: 4 });
  await page.mouse.up();
  await expect.poll(async () => (await shown()).step).toBeGreaterThan(4 * before);
  const { first } = await shown();
  await page.mouse.move(ruler.x, ruler.y);
  await page.mouse.down();
  await page.mouse.move(ruler.x - 300, ruler.y, { steps: 4 });
  await page.mouse.up();
  await expect.poll(async () => (await shown()).first).toBeGreaterThan(first);
  await page.getByRole('button', { name: 'The whole song' }).click();
  await expect.poll(async () => (await shown()).step).toBe(1);
  // What was said when it came stands behind the mark in its row.
  await page.getByRole('button', { name: /settings of lead/ }).click();
  await expect(page.getByTestId('came')).toContainText('lead.wav: Mono, clean');
});
