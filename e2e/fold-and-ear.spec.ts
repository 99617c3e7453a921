import { randomUUID } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import { wavFile } from '@pannet/core/formats/wav-write';
import { LoudnessMeter } from '@pannet/core/measurement/loudness';
import type { StereoReport } from '@pannet/core/measurement/report';
import { newPart } from '@pannet/core/song/song';
import { newVoice } from '@pannet/core/voices/voice';
import { noise, rms } from '../packages/core/src/measurement/signals.fixture.ts';
import { neutralStage } from '@pannet/core/image/stage';
import {
  address,
  channelsOf,
  dropFiles,
  openParts,
  post,
  rate,
  repository,
  run,
  scratchFolder,
  seriousFaults,
  collect,
  tap,
  upload,
  wakeAudio,
  type Tapped,
  applyRecipe,
} from './stage.ts';
import { toSong } from './song-place.ts';

function lufsOf({ left, right }: Tapped): number {
  // What glides at the beginning is left out.
  const from = rate / 2;
  const meter = new LoudnessMeter(rate, 2);
  meter.process([left.subarray(from), right.subarray(from)], left.length - from);
  return meter.integrated();
}

const finding = (page: Page, code: string) => page.getByTestId(`finding-${code}`);

test('three seconds of opposite sides in five minutes are found, and played when they are pressed', async ({
  page,
}) => {
  const slow = 16_000;
  const left = noise(300, slow, 1, 0.1);
  const right = noise(300, slow, 2, 0.1);
  for (let n = 137 * slow; n < 140 * slow; n++) right[n] = -left[n];
  const recording = await upload(address(), 'pair.wav', wavFile([left, right], slow, '16'));
  const { id } = await post<{ id: string }>(`${address()}/api/songs`, { title: 'Hidden' });
  const takes = [0, 1].map((channel) => ({ recording: recording.hash, channel }));
  const side = (n: number) => ({
    placement: { kind: 'pan' as const, panPercent: n ? 100 : -100 },
    take: n + 1,
  });
  const voices = ['left', 'right'].map((name, n) => newVoice(`v${n + 1}`, name, side(n)));
  const part = newPart('pair', 'Pair', 'other', takes, { image: { voices, stage: neutralStage } });
  const edits = [
    { kind: 'set-rate', rateHz: slow },
    { kind: 'put-recording', recording },
    { kind: 'add-part', part, index: 0 },
  ];
  const commands = [{ id: randomUUID(), name: 'set up', role: 'do', edits }];
  await post(`${address()}/api/songs/${id}/commands`, { baseRevision: 0, commands });
  await page.goto(`${address()}/songs/${id}`);
  await expect(finding(page, 'cancels-in-places')).toContainText('from 2:17.0 to 2:20.0', {
    timeout: 60_000,
  });
  await wakeAudio(page);
  const collecting = collect(page, null, slow);
  await page.getByRole('button', { name: /worst 3 s: −60\.0 LU from 2:17\.0/ }).click();
  const played = await collecting;
  expect(Math.abs(played.frame / slow - 137)).toBeLessThan(0.2);
  expect(rms(played.left)).toBeGreaterThan(0.01);
  // What is left is the dither of 16 bits.
  expect(rms(played.left.map((value, n) => value + played.right[n]))).toBeLessThan(1e-4);
});

test('a finding’s mend is looked for, tried at matched loudness, kept as one step, and holds in the file', async ({
  page,
}) => {
  await openParts(page, 'Mended', ['solo']);
  await applyRecipe(page, 'One side late');
  await wakeAudio(page);
  const hollow = finding(page, 'hollow');
  await expect(hollow).toBeVisible({ timeout: 30_000 });
  const before = await tap(page, 0, 2 * rate, 'heard');
  await hollow.getByRole('button', { name: 'Try a mend for: hollow' }).click();
  const keep = hollow.getByRole('button', { name: 'Keep the mend for: hollow' });
  await expect(keep).toBeVisible({ timeout: 60_000 });
  await expect(hollow).toContainText(/deepest dip \d+\.\d → \d+\.\d dB/);
  // Nothing has been done yet.
  await expect(page.getByRole('button', { name: 'Undo solo: one side late' })).toBeVisible();
  const tried = await tap(page, 0, 2 * rate, 'heard');
  expect(Math.abs(lufsOf(tried) - lufsOf(before))).toBeLessThan(0.5);
  const told = await hollow.innerText();
  const [, dipBefore, dipAfter] = /dip ([\d.]+) → ([\d.]+) dB/.exec(told) ?? [];
  const [, widthBefore, widthAfter] = /S\/M ([−\d.]+) → ([−\d.]+) dB/.exec(told) ?? [];
  const number = (text: string) => Number(text.replace('−', '-'));
  expect(number(dipAfter)).toBeLessThan(number(dipBefore));
  expect(Math.abs(number(widthAfter) - number(widthBefore))).toBeLessThanOrEqual(1);
  await keep.click();
  await expect(hollow).toBeHidden({ timeout: 30_000 });
  // Measured over the whole part it is as it was over the stretch that was looked at.
  const shown = async (label: string) =>
    number((await page.getByTestId(`figure-${label}`).innerText()).replace(/[^−+\d.].*/, ''));
  expect(Math.abs((await shown('Dip')) - number(dipAfter))).toBeLessThan(0.5);
  expect(Math.abs((await shown('S/M')) - number(widthAfter))).toBeLessThan(0.5);
  await page.keyboard.press('Control+z');
  await expect(hollow).toBeVisible({ timeout: 30_000 });
});

test('a safer setting is searched for, stopped, heard from the list, and kept as one step', async ({
  page,
}) => {
  await openParts(page, 'Safer', ['solo']);
  await applyRecipe(page, 'One side late');
  await page.getByRole('button', { name: 'Find a safer setting' }).click({ timeout: 30_000 });
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('polarity').uncheck();
  await dialog.getByRole('button', { name: 'Search', exact: true }).click();
  const hear = dialog.getByRole('button', { name: 'Hear', exact: true });
  await expect(hear.first()).toBeVisible({ timeout: 60_000 });
  await dialog.getByRole('button', { name: 'Stop', exact: true }).click();
  await expect(dialog.getByRole('button', { name: 'Search again' })).toBeVisible();
  await expect(dialog.getByRole('button', { name: 'Keep this setting' })).toBeDisabled();
  await hear.first().click();
  await expect(dialog.getByRole('button', { name: 'Keep this setting' })).toBeEnabled();
  await dialog.getByRole('button', { name: 'Keep this setting' }).click();
  await expect(dialog).toBeHidden();
  await expect(page.getByRole('button', { name: /^Undo solo: right late: / })).toBeVisible();
});

test('plain, image and drafts are equally loud; keys flip several parts; blind rounds are kept', async ({
  page,
}) => {
  await openParts(page, 'Compared', ['one', 'two']);
  await applyRecipe(page, 'One side late');
  await page.keyboard.press('Shift+Digit1');
  await applyRecipe(page, 'Mirrored');
  await page.keyboard.press('Shift+Digit2');
  await page.getByRole('link', { name: 'Compare' }).click();
  await expect(page.getByTestId('matched-1')).not.toHaveText('…', { timeout: 30_000 });
  await expect(page.getByTestId('matched-2')).not.toHaveText('…', { timeout: 30_000 });
  await page.getByRole('button', { name: 'Solo one', exact: true }).click();
  await wakeAudio(page);
  const heard: number[] = [];
  for (const key of ['2', 'p', 'p', '1']) {
    await page.keyboard.press(key);
    // Loudness over the same stretch as the match: nearly all of it.
    heard.push(lufsOf(await tap(page, 0, 3 * rate, 'heard')));
  }
  for (const lufs of heard) expect(Math.abs(lufs - heard[0])).toBeLessThan(0.3);
  // The part itself, as it is exported, is not touched by matching.
  const exported = lufsOf(await tap(page, 0, 3 * rate));
  expect(Math.abs(exported - heard[0])).toBeGreaterThan(0.5);

  await page.getByRole('button', { name: 'Draft 2 ▸' }).click();
  await page.getByRole('button', { name: 'Stop', exact: true }).click();
  await page.getByRole('button', { name: 'Compare blind' }).click();
  const dialog = page.getByRole('dialog');
  for (const key of ['ArrowRight', '1', 'ArrowLeft', '2', '2', '1', '1', '2'])
    await page.keyboard.press(key);
  await expect(dialog.getByTestId('blind-count')).toHaveText('6 rounds');
  await expect(dialog).not.toContainText(/Draft|Plain|Image/);
  await dialog.getByRole('button', { name: 'End and show the names' }).click();
  await expect(dialog.getByTestId('blind-outcome')).toContainText(/chosen .* of 100 such/);
  await dialog.getByRole('button', { name: 'Done' }).click();
  await expect(page.getByText('saved', { exact: true })).toBeVisible();
  await page.reload();
  await expect(page.getByTestId('blind-result')).toContainText('of 100 such comparisons');

  // One key for both parts.
  await page.getByRole('button', { name: /settings of two/ }).click();
  await page.getByLabel('Toggle key of two').selectOption('q');
  await page.keyboard.press('Escape');
  await page.keyboard.press('q');
  for (const name of ['one', 'two'])
    await expect(page.getByTestId(`part-${name}`)).toContainText('plain');
  await page.keyboard.press('q');
  await expect(page.getByTestId('part-one')).not.toContainText('plain');
});

test('heard swapped, through a phone, on headphones, dimmed; nothing of it reaches the part', async ({
  page,
}) => {
  await openParts(page, 'Heard', ['solo']);
  await applyRecipe(page, 'One side late');
  await wakeAudio(page);
  const frames = rate;
  const stereo = await tap(page, rate, frames, 'heard');
  const hearIn = async (name: string) => {
    await page.getByRole('button', { name: /^Hear(:| in)/ }).click();
    await page.getByRole('button', { name: new RegExp(`^${name} `) }).click();
    return tap(page, rate, frames, 'heard');
  };
  const swapped = await hearIn('Swapped');
  expect(swapped.left).toEqual(stereo.right);
  expect(swapped.right).toEqual(stereo.left);
  const phone = await hearIn('Phone');
  expect(phone.left).toEqual(phone.right);
  const headphones = await hearIn('Headphones');
  expect(rms(headphones.left)).toBeGreaterThan(0.01);
  expect(headphones.left).not.toEqual(headphones.right);
  // The part itself has no fade where it begins.
  const part = await tap(page, rate, frames);
  expect(part.left.slice(1000)).toEqual(stereo.left.slice(1000));
  await page.getByRole('button', { name: 'Stereo', exact: true }).click();
  await page.keyboard.press('-');
  await expect(page.getByRole('button', { name: 'Dim' })).toHaveAttribute('aria-pressed', 'true');
  const dimmed = await tap(page, rate, frames, 'heard');
  expect(20 * Math.log10(rms(dimmed.left) / rms(stereo.left))).toBeCloseTo(-20, 3);
});

test('among the parts: who leads the same way, before and after, and the song measured together', async ({
  page,
}) => {
  await openParts(page, 'Among', ['one', 'two']);
  await page.getByRole('button', { name: 'two', exact: true }).click({ modifiers: ['Shift'] });
  await applyRecipe(page, 'One side late');
  await page.getByRole('link', { name: 'Among the parts' }).click();
  await expect(page.getByTestId('crowding-same-lead')).toContainText(
    'one and two both lead to the left, by 14.0 and 14.0 ms',
    { timeout: 30_000 },
  );
  const shown = page.getByRole('group', { name: 'What is shown' });
  await shown.getByRole('button', { name: 'Plain' }).click();
  await expect(page.getByTestId('crowding-same-lead')).toBeHidden();
  await expect(page.getByTestId('crowding-shared')).toBeVisible();
  await page.getByRole('button', { name: /^two/ }).last().click();
  await expect(page).toHaveURL(/part-1\/among$/);
  await page.getByRole('button', { name: 'Measure the song' }).click();
  await expect(page.getByTestId('file-verdict')).toContainText('the fold breaks', {
    timeout: 30_000,
  });
  await expect(page.getByTestId('file-likeness')).toContainText('+14.0 ms');
  await page.keyboard.press('Escape');

  // Along the song: both share their places all the time; a room is seen once it is measured anew.
  await shown.getByRole('button', { name: 'In the song' }).click();
  const rows = page.getByRole('list', { name: 'Crowded along the song' });
  await expect(rows).toContainText('one and two', { timeout: 30_000 });
  await expect(rows.getByRole('img').first()).toHaveAccessibleName(
    /one and two share place and band at 0:00–0:20: up to \d+ % of the softer one\./,
  );
  await rows.getByRole('img').first().click();
  await expect(page.getByTitle('Place in the song').first()).not.toHaveText('0:00.0');
  expect(await seriousFaults(page)).toEqual([]);
  await toSong(page);
  await page.getByLabel('Add a room').selectOption('hall');
  await page.getByLabel(/^Feed a room/).selectOption({ label: 'Hall' });
  await page.getByRole('link', { name: 'Among the parts' }).click();
  await shown.getByRole('button', { name: 'In the song' }).click();
  await expect(page.getByText('Changed since it was measured.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Hall', exact: true })).toHaveCount(0);
  await page.getByRole('button', { name: 'Measure it' }).click();
  await expect(page.getByRole('button', { name: 'Hall', exact: true })).toBeVisible({
    timeout: 30_000,
  });
});

test('any file is measured without becoming a part, with the figures of the command line', async ({
  page,
}) => {
  const folder = scratchFolder();
  const path = join(folder, 'mix.wav');
  writeFileSync(path, wavFile([noise(12, rate, 5, 0.1), noise(12, rate, 6, 0.1)], rate, '24'));
  await page.goto(address());
  await page.getByRole('link', { name: 'Measure a file' }).click();
  await dropFiles(page, 'main', [{ name: 'mix.wav', bytes: readFileSync(path) }]);
  await expect(page.getByTestId('file-verdict')).toContainText('the fold holds');
  const { stdout } = await run(join(repository, 'pannet'), ['measure', path, '--json']);
  const report = JSON.parse(stdout) as StereoReport;
  const shown = async (key: string) =>
    Number(
      (await page.getByTestId(`file-${key}`).innerText())
        .replace('−', '-')
        .replace(/[^\d.-].*/, ''),
    );
  expect(await shown('loudness')).toBeCloseTo(report.loudnessLufs ?? 0, 1);
  expect(await shown('truePeak')).toBeCloseTo(report.truePeakDbtp ?? 0, 1);
  expect(await shown('drop')).toBeCloseTo(report.fold.dropLu ?? 0, 1);
  const text = join(folder, 'notes.wav');
  writeFileSync(text, 'This is no sound.');
  await page.getByLabel('File to measure').setInputFiles(text);
  await expect(page.getByRole('alert')).toContainText('“notes.wav” could not be measured: ');
  await page.getByLabel('File to measure').setInputFiles(path);
  await expect(page.getByTestId('file-verdict')).toContainText('mix.wav');
  expect(readFileSync(path).length).toBeGreaterThan((await channelsOf(path))[0].length);
});

test('nothing serious in a breaking state, in Compare, among the parts, on a measured file', async ({
  page,
}) => {
  await openParts(page, 'Looked at', ['one', 'two']);
  await applyRecipe(page, 'One side late');
  await expect(page.getByText('The fold breaks')).toBeVisible({ timeout: 30_000 });
  expect(await seriousFaults(page)).toEqual([]);
  await page.getByRole('link', { name: 'Compare' }).click();
  expect(await seriousFaults(page)).toEqual([]);
  await page.getByRole('link', { name: 'Among the parts' }).click();
  await expect(page.getByRole('button', { name: /^one/ }).last()).toBeVisible();
  expect(await seriousFaults(page)).toEqual([]);
  await page.goto(`${address()}/measure`);
  expect(await seriousFaults(page)).toEqual([]);
});
