import { expect, test, type Page } from '@playwright/test';
import { wavFile } from '@pannet/core/formats/wav-write';
import { noise, sine } from '../packages/core/src/measurement/signals.fixture.ts';
import {
  address,
  channelsOf,
  dropFiles,
  middleOf,
  openParts,
  rate,
  run,
  scratchFolder,
  seriousFaults,
  steps24,
  tap,
  wakeAudio,
} from './stage.ts';
import { join } from 'node:path';

const { abs, log10, max } = Math;

const toSong = (page: Page) => page.getByRole('link', { name: 'Song', exact: true }).click();
const lane = (page: Page, name: string) => page.getByTestId(`lane-${name}`);
const nameOf = (page: Page, name: string) =>
  lane(page, name).getByRole('button', { name, exact: true });
const undo = (page: Page, name: string | RegExp) => page.getByRole('button', { name });

/** Exports what is ticked and nothing else, as one file; where it was saved. */
async function exportedFile(page: Page, label: string): Promise<string> {
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

const exported = async (page: Page, label: string) => channelsOf(await exportedFile(page, label));

test('a vocal’s flanks go into a room with 100 and 149 ms: exported, it is what is heard beside the part', async ({
  page,
}) => {
  test.setTimeout(240_000);
  // A breath of noise, and time for the room.
  const voice = new Float32Array(3 * rate);
  voice.set(noise(0.3, rate, 5, 0.2), rate / 2);
  await page.goto(address());
  await dropFiles(page, '.songs-page', [
    { name: 'voice.wav', bytes: wavFile([voice], rate, '24') },
  ]);
  await page.getByRole('button', { name: 'Add a pair' }).click();
  await toSong(page);
  await page.getByLabel('Add a room').selectOption('plate');
  await page.getByLabel(/^Feed a room/).selectOption({ label: 'Plate-like' });
  const room = page.getByTestId('room-Plate-like');
  await room.getByRole('button', { name: 'Settings of Plate-like' }).click();
  await room.getByLabel('What of voice goes in').selectOption('flanks');
  for (const [label, value] of [
    ['Pre-delay, left', '100'],
    ['Pre-delay, right', '149'],
    ['Decay', '0.4'],
    ['Low cut of the return', 'off'],
  ]) {
    const field = room.getByRole('textbox', { name: label, exact: true });
    await field.fill(value);
    await field.press('Enter');
  }
  await expect(undo(page, /^Undo Plate-like: low cut of the return .* → off/)).toBeVisible();
  expect(await seriousFaults(page)).toEqual([]);

  const [left, right] = await exported(page, 'Plate-like, return');
  // Both sides ring after their own time: the flanks lie hard left and right.
  const first = (side: Float32Array) => side.findIndex((value) => abs(value) > 1e-4);
  expect(first(left)).toBeGreaterThan(rate / 2 + 0.1 * rate);
  expect(first(left)).toBeLessThan(rate / 2 + 0.18 * rate);
  // It has its tail, and that dies away as it is set.
  expect(left.length).toBeGreaterThan(3 * rate);
  const power = (side: Float32Array, fromS: number) =>
    side.subarray(fromS * rate, (fromS + 0.05) * rate).reduce((sum, value) => sum + value ** 2, 0);
  const fall = 10 * log10(power(left, 1.1) / power(left, 1.3));
  expect(abs(fall - 0.2 * (60 / 0.4))).toBeLessThan(4);

  const [partLeft, partRight] = await exported(page, 'voice');
  await wakeAudio(page);
  const heard = await tap(page, 0, 2 * rate, 'heard');
  let apart = 0;
  // Behind the fade in.
  for (let n = 1000; n < 2 * rate; n++) {
    const at = heard.frame + n;
    if (at >= partLeft.length) break;
    apart = max(
      apart,
      abs(steps24(heard.left[n]) - steps24(partLeft[at]) - steps24(left[at])),
      abs(steps24(heard.right[n]) - steps24(partRight[at]) - steps24(right[at])),
    );
  }
  // Each file is rounded by itself.
  expect(apart).toBeLessThan(4);

  // Rooms are left out by a press, and what was done lasts over a reload.
  await page.getByRole('button', { name: 'Rooms', exact: true }).click();
  const dry = await tap(page, 0, rate, 'heard');
  for (let n = 1000; n < rate; n += 17)
    expect(abs(steps24(dry.left[n]) - steps24(partLeft[dry.frame + n]))).toBeLessThan(2);
  await page.reload();
  await expect(room).toContainText('voice, flanks');
  await undo(page, /^Undo Plate-like: low cut/).click();
  await undo(page, /^Undo Plate-like: decay/).click();
  await room.getByRole('button', { name: 'Settings of Plate-like' }).click();
  await expect(room.getByRole('textbox', { name: 'Decay', exact: true })).toHaveValue('1.60');
});

test('parts are brought into a group by dragging, and all of it is turned down, muted and undone', async ({
  page,
}) => {
  test.setTimeout(120_000);
  await openParts(page, 'Grouped', ['Oboe', 'Viola', 'Drum']);
  await toSong(page);
  await nameOf(page, 'Viola').click();
  await page.getByLabel('Group of Viola').selectOption('new');
  const group = page.getByTestId('group-Group 1');
  await expect(group).toContainText('1 part');
  const from = await middleOf(nameOf(page, 'Drum'));
  const to = await middleOf(nameOf(page, 'Viola'));
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(from.x, from.y - 12, { steps: 4 });
  await page.mouse.move(to.x, to.y, { steps: 12 });
  await page.mouse.up();
  await expect(group).toContainText('2 parts');

  await wakeAudio(page);
  const before = await tap(page, rate, rate / 2, 'heard');
  const level = group.getByRole('textbox', { name: 'Level of Group 1' });
  await level.fill('-60');
  await level.press('Enter');
  await group.getByRole('button', { name: 'Mute Group 1' }).click();
  const after = await tap(page, rate, rate / 2, 'heard');
  const power = (side: Float32Array) => side.reduce((sum, value) => sum + value * value, 0);
  // Of three like parts one is left.
  expect(10 * log10(power(after.left) / power(before.left))).toBeCloseTo(10 * log10(1 / 3), 0);
  await undo(page, 'Undo Group 1: muted').click();
  await undo(page, /^Undo Group 1: level/).click();
  const again = await tap(page, rate, rate / 2, 'heard');
  expect(again.left).toEqual(before.left);

  // Evened and brought in, it is written as it is heard alone.
  await group.getByRole('button', { name: 'Settings of Group 1' }).click();
  for (const [label, value] of [
    ['Threshold', '-30'],
    ['Width', '0'],
  ]) {
    const field = group.getByRole('textbox', { name: label, exact: true });
    await field.fill(value);
    await field.press('Enter');
  }
  await expect(undo(page, /^Undo Group 1: width/i)).toBeVisible();
  await group.getByRole('button', { name: 'Solo Group 1' }).click();
  const [left] = await exported(page, 'Group 1, group');
  const alone = await tap(page, 0, 5 * rate, 'heard');
  let apart = 0;
  // Once its compressor has forgotten that the sound faded in.
  for (let n = 4 * rate; n < 5 * rate; n++)
    apart = max(apart, abs(steps24(alone.left[n]) - steps24(left[alone.frame + n])));
  expect(apart).toBeLessThan(12);
});

test('the level of a part goes along the song by points: heard as it is drawn, and exported so', async ({
  page,
}) => {
  test.setTimeout(120_000);
  const tone = sine(440, -12, 8, rate);
  await page.goto(address());
  await dropFiles(page, '.songs-page', [{ name: 'tone.wav', bytes: wavFile([tone], rate, '24') }]);
  await toSong(page);
  await page.getByLabel('Move tone along the song').selectOption('levelDb');
  const points = page.getByRole('group', { name: 'Level of tone along the song' });
  const drawing = points.getByRole('group', { name: 'Points' });
  const box = await drawing.boundingBox();
  if (!box) throw new Error('There is nothing to be seen of it.');
  // At 4 s, some 12 dB down.
  await drawing.dblclick({ position: { x: box.width / 2, y: 22 } });
  await expect(points.getByRole('textbox', { name: 'Level of the point' })).toBeVisible();
  const level = points.getByRole('textbox', { name: 'Level of the point' });
  await level.fill('-24');
  await level.press('Enter');
  const [left] = await exported(page, 'tone');
  const rms = (seconds: number) => {
    const stretch = left.subarray(seconds * rate, (seconds + 0.02) * rate);
    return 10 * log10(stretch.reduce((sum, value) => sum + value ** 2, 0) / stretch.length);
  };
  expect(rms(2) - rms(0.01)).toBeCloseTo(-12, 0);
  expect(rms(6) - rms(0.01)).toBeCloseTo(-24, 0);
  await wakeAudio(page);
  const heard = await tap(page, rate, rate / 2, 'part');
  for (let n = 0; n < heard.left.length; n += 7)
    expect(steps24(heard.left[n])).toBe(steps24(left[heard.frame + n]));
});

test('a lick is opened by a throw from bar to bar: exported, it is wide there and nowhere else, here and by ffmpeg', async ({
  page,
}) => {
  test.setTimeout(120_000);
  await page.goto(address());
  const take = wavFile([noise(8, rate, 12, 0.2)], rate, '24');
  await dropFiles(page, '.songs-page', [{ name: 'lick.wav', bytes: take }]);
  await page.getByRole('button', { name: 'Add a pair' }).click();
  await page.getByLabel('Usual figures of a pair').selectOption({ label: '5 c · 9 / 18 ms' });
  await toSong(page);
  await page.getByRole('button', { name: 'Bars' }).click();
  const tempo = page.getByRole('textbox', { name: 'Tempo', exact: true });
  await tempo.fill('120');
  await tempo.press('Enter');
  await expect(page.getByTestId('ruler')).toContainText('3');
  // Bar 2 to bar 3, by hand and not quite: 2 to 4 s.
  const box = await lane(page, 'lick').boundingBox();
  if (!box) throw new Error('There is nothing to be seen of it.');
  const y = box.y + 20;
  await page.mouse.move(box.x + (2.06 / 8) * box.width, y);
  await page.mouse.down();
  await page.mouse.move(box.x + (3.95 / 8) * box.width, y, { steps: 8 });
  await page.mouse.up();
  await page.getByRole('button', { name: 'In the loop …' }).click();
  await page.getByRole('button', { name: 'eighths' }).click();
  await page.getByRole('button', { name: 'flanks open' }).click();
  await page.keyboard.press('Escape');
  await expect(undo(page, 'Undo lick: flanks open 0:02.00–0:04.00')).toBeVisible();

  const path = await exportedFile(page, 'lick');
  const [left, right] = await channelsOf(path);
  const differenceDb = (fromS: number, toS: number) => {
    let sum = 0;
    for (let n = Math.round(fromS * rate); n < Math.round(toS * rate); n++)
      sum += ((left[n] - right[n]) / 2) ** 2;
    return 10 * log10(sum / ((toS - fromS) * rate) + 1e-12);
  };
  const [before, within, after] = [
    differenceDb(0, 1.99),
    differenceDb(2, 4),
    differenceDb(4.02, 8),
  ];
  expect(within).toBeGreaterThan(-40);
  expect(max(before, after)).toBeLessThan(-100);
  // The same outside.
  const { stderr } = await run('ffmpeg', [
    ...['-hide_banner', '-ss', '2', '-t', '2', '-i', path],
    ...['-af', 'pan=mono|c0=0.5*c0-0.5*c1,volumedetect', '-f', 'null', '-'],
  ]);
  const mean = Number(/mean_volume: (-?[\d.]+) dB/.exec(stderr)?.[1]);
  expect(abs(mean - within)).toBeLessThan(0.2);

  await undo(page, /^Undo lick: flanks open/).click();
  const [all, other] = await exported(page, 'lick');
  let wide = 0;
  for (let n = 6 * rate; n < 7 * rate; n++) wide += ((all[n] - other[n]) / 2) ** 2;
  expect(10 * log10(wide / rate)).toBeGreaterThan(-40);
});
