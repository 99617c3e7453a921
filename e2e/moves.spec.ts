import { expect, test } from '@playwright/test';
import { wavFile } from '@pannet/core/formats/wav-write';
import { noise, sine } from '../packages/core/src/measurement/signals.fixture.ts';
import { dragLoop, exported, exportedFile, toSong, undo } from './song-place.ts';
import {
  address,
  channelsOf,
  dropFiles,
  middleOf,
  playsOn,
  rate,
  run,
  seriousFaults,
  steps24,
  tap,
  wakeAudio,
} from './stage.ts';

const { abs, log10, max } = Math;

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
  await expect(page.getByTestId('ruler')).toHaveAttribute('data-marks', /\b3\b/);
  // By bars the loop is typed, too; what is none is said.
  await page.getByRole('button', { name: '1.1.1' }).click();
  for (const [label, place] of [
    ['Loop from', '3.3'],
    ['Loop to', '4'],
    ['Loop to', '4.9'],
  ]) {
    const field = page.getByRole('textbox', { name: label });
    await field.fill(place);
    await field.press('Enter');
  }
  await expect(
    page.getByText(/such as 17\.3\.2, or a time such as 1:02\.5; “4\.9” is none/),
  ).toBeVisible();
  const loop = await page.evaluate(
    () =>
      (
        globalThis as unknown as {
          pannet: { playback: { store: { getState(): { loop: unknown } } } };
        }
      ).pannet.playback.store.getState().loop,
  );
  expect(loop).toEqual({ start: 5 * rate, end: 6 * rate });
  await page.keyboard.press('Escape');
  // Bar 2 to bar 3, by hand and not quite: 2 to 4 s.
  await dragLoop(page, 'lick', 2.06 / 8, 3.95 / 8);
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

test('a level, and whatever else is held, is written while it plays: what is exported goes where the hand went', async ({
  page,
}) => {
  test.setTimeout(120_000);
  await page.goto(address());
  await dropFiles(page, '.songs-page', [
    { name: 'ridden.wav', bytes: wavFile([sine(440, -12, 20, rate)], rate, '24') },
  ]);
  await toSong(page);
  await page.getByLabel('Move ridden along the song').selectOption('levelDb');
  await page.getByRole('button', { name: 'Play' }).click();
  await expect(page.getByTitle('Place in the song')).toHaveText(/0:0[1-9]/);
  const fader = page.getByLabel('Write the level of ridden while it plays');
  const box = await fader.boundingBox();
  if (!box) throw new Error('There is no fader.');
  const at = (share: number) => [box.x + share * box.width, box.y + box.height / 2] as const;
  await page.mouse.move(...at(30 / 36));
  await page.mouse.down();
  await playsOn(page, 0.7);
  await page.mouse.move(...at(12 / 36), { steps: 12 });
  await playsOn(page, 0.9);
  const stood = (await fader.getAttribute('aria-valuetext')) ?? '';
  const down = Number(/−(\d+(\.\d)?) dB/.exec(stood)?.[1]);
  expect(down).toBeGreaterThan(10);
  // Of a busy page, whose fader has gone back before the browser ends the drag.
  const busy = await page.context().newCDPSession(page);
  await busy.send('Emulation.setCPUThrottlingRate', { rate: 5 });
  await page.mouse.up();
  const endOf = async (written: RegExp) => {
    await expect(undo(page, written)).toBeVisible();
    const step = (await undo(page, written).getAttribute('aria-label')) ?? '';
    return Number(/–0:(\d+\.\d)/.exec(step)?.[1]);
  };
  const to = await endOf(/^Undo ridden, level: written 0:0/);
  await playsOn(page, 0.5);
  await busy.send('Emulation.setCPUThrottlingRate', { rate: 1 });

  // Where its own fields are it is the same, once it is to be written.
  await page.getByRole('link', { name: 'Part', exact: true }).click();
  await page.getByRole('button', { name: 'Write', exact: true }).click();
  const place = page.getByLabel(/^Position of /);
  const unit = await middleOf(place.locator('xpath=following-sibling::span'));
  await page.mouse.move(unit.x, unit.y);
  await page.mouse.down();
  await page.mouse.move(unit.x, unit.y - 240, { steps: 12 });
  await playsOn(page, 0.9);
  await expect(place).toHaveValue('80');
  await page.mouse.up();
  const placedTo = await endOf(/^Undo ridden, [^:]*, place: written 0:/);
  await expect(place).toHaveValue('0');
  await page.getByRole('button', { name: 'Stop', exact: true }).click();
  await toSong(page);

  const sides = await exported(page, 'ridden');
  const power = (seconds: number, side: Float32Array) => {
    const from = Math.round(seconds * rate);
    const stretch = side.subarray(from, from + rate / 20);
    return (2 * stretch.reduce((sum, value) => sum + value ** 2, 0)) / stretch.length;
  };
  const db = (seconds: number) =>
    10 * log10(sides.reduce((sum, side) => sum + power(seconds, side), 0));
  // It is where it was held at its end, and went back to where it had been.
  expect(abs(db(to - 0.4) - (db(0.1) - down))).toBeLessThan(0.5);
  expect(db(to + 0.2)).toBeCloseTo(db(0.1), 1);
  const lean = (seconds: number) => 10 * log10(power(seconds, sides[1]) / power(seconds, sides[0]));
  // 80 % to the right by sine and cosine: tan of 81°.
  expect(abs(lean(placedTo - 0.4) - 20 * log10(Math.tan((81 * Math.PI) / 180)))).toBeLessThan(0.3);
  expect(abs(lean(placedTo + 1))).toBeLessThan(0.01);
  // What is measured anew is paler until it is.
  await expect.poll(() => seriousFaults(page), { timeout: 30_000 }).toEqual([]);
});

test('a pair changes places over a verse: exported, L is there what R is elsewhere, and the fold is as it was', async ({
  page,
}) => {
  test.setTimeout(120_000);
  await page.goto(address());
  await dropFiles(page, '.songs-page', [
    { name: 'pair.wav', bytes: wavFile([noise(8, rate, 21, 0.2)], rate, '24') },
  ]);
  await page.getByRole('button', { name: 'Add a pair' }).click();
  await page.getByLabel('Usual figures of a pair').selectOption({ label: '5 c · 9 / 18 ms' });
  await toSong(page);
  const [left, right] = await exported(page, 'pair');
  await dragLoop(page, 'pair', 2 / 8, 6 / 8);
  await page.getByRole('button', { name: 'In the loop …' }).click();
  await page.getByRole('button', { name: 'sides change places' }).click();
  await page.keyboard.press('Escape');
  const width = page.getByRole('group', { name: 'Width of pair along the song' });
  await expect(width.getByRole('button', { name: /: −100 %$/ })).toHaveCount(2);
  // What is measured anew is paler until it is.
  await expect.poll(() => seriousFaults(page), { timeout: 30_000 }).toEqual([]);
  const [swappedLeft, swappedRight] = await exported(page, 'pair');
  const apart = (a: Float32Array, b: Float32Array, fromS: number, toS: number) => {
    let most = 0;
    for (let n = Math.round(fromS * rate); n < Math.round(toS * rate); n++)
      most = max(most, abs(steps24(a[n]) - steps24(b[n])));
    return most;
  };
  expect(apart(swappedLeft, right, 2.2, 5.8)).toBeLessThan(2);
  expect(apart(swappedRight, left, 2.2, 5.8)).toBeLessThan(2);
  expect(apart(swappedLeft, left, 0, 1.8)).toBe(0);
  let fold = 0;
  for (let n = 0; n < 8 * rate; n++)
    fold = max(fold, abs(steps24(swappedLeft[n] + swappedRight[n]) - steps24(left[n] + right[n])));
  // Each side is rounded by itself.
  expect(fold).toBeLessThan(5);
  await wakeAudio(page);
  const heard = await tap(page, 3 * rate, rate / 2, 'part');
  for (let n = 1000; n < heard.left.length; n += 7)
    expect(steps24(heard.left[n])).toBe(steps24(swappedLeft[heard.frame + n]));
});

test('a tremolo of two sides against each other dies in the fold: found, mended, and still so after a reload', async ({
  page,
}) => {
  test.setTimeout(180_000);
  await page.goto(address());
  await dropFiles(page, '.songs-page', [
    { name: 'organ.wav', bytes: wavFile([noise(8, rate, 31, 0.2)], rate, '24') },
  ]);
  await page.getByRole('button', { name: 'Add a pair' }).click();
  await page.getByLabel('Usual figures of a pair').selectOption({ label: '5 c · 9 / 18 ms' });
  // The original goes: two sides are left.
  await page.getByRole('button', { name: 'Mute centre' }).first().click();
  await toSong(page);
  const move = page.getByLabel('Move organ along the song');
  for (const side of ['left', 'right']) {
    const value = await move
      .locator(`optgroup[label="voice: ${side}"] option`)
      .first()
      .getAttribute('value');
    await move.selectOption(value);
    const lineOf = page.getByRole('group', { name: `Level of organ, ${side} along the song` });
    await lineOf.getByLabel(/^How the level of/).selectOption('cycle');
    const set = async (label: string, to: string) => {
      const field = lineOf.getByRole('textbox', { name: label });
      await field.fill(to);
      await field.press('Enter');
    };
    await set('Rate of the cycle', '3');
    await set('Depth', '14');
    if (side === 'right') await set('Phase', '50');
  }
  const finding = page.getByTestId('finding-motion-dies');
  await expect(finding).toContainText(
    /3\.0 times a second a side goes up and down by 1[34]\.\d dB/,
  );
  await expect(page.getByText(/side 1[34]\.\d dB, fold/).first()).toBeVisible();
  await finding.getByRole('button', { name: 'Try a mend for: motion-dies' }).click();
  await finding
    .getByRole('button', { name: 'Keep the mend for: motion-dies' })
    .click({ timeout: 60_000 });
  await expect(undo(page, /^Undo organ: (left|right): phase of its level/)).toBeVisible();
  await expect(finding).toBeHidden({ timeout: 30_000 });
  await page.reload();
  await expect(page.getByText(/side \d+\.\d dB, fold/).first()).toBeVisible({ timeout: 30_000 });
  await expect(finding).toBeHidden();
  // What is exported moves in mono, too.
  const [left, right] = await exported(page, 'organ');
  const power = (place: number) => {
    let sum = 0;
    for (let cycle = 1; cycle < 20; cycle++)
      for (let n = 0; n < rate / 48; n++) {
        const at = Math.round((cycle + place) * (rate / 3)) + n;
        sum += (left[at] + right[at]) ** 2;
      }
    return 10 * log10(sum);
  };
  const places = Array.from({ length: 16 }, (_, n) => power(n / 16));
  expect(max(...places) - Math.min(...places)).toBeGreaterThan(5.5);
  await page.getByRole('button', { name: /^Undo organ: / }).click();
  await expect(finding).toBeVisible({ timeout: 30_000 });
  await page.getByRole('button', { name: /^Redo organ: / }).click();
  await expect(finding).toBeHidden({ timeout: 30_000 });
});
