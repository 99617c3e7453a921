import { expect, test, type Locator, type Page } from '@playwright/test';
import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { wavFile } from '@pannet/core/formats/wav-write';
import { noise } from '../packages/core/src/measurement/signals.fixture.ts';
import {
  address,
  channelsOf,
  dropFiles,
  middleOf,
  openParts,
  rate,
  scratchFolder,
  seriousFaults,
  steps24,
  tap,
  wakeAudio,
} from './stage.ts';
import { exported, exportedFile, nameOf, toSong, undo } from './song-place.ts';

const { abs, log10, max } = Math;

/** A song of one part: a breath of noise, and time for a room. */
async function openBreath(page: Page): Promise<void> {
  const voice = new Float32Array(3 * rate);
  voice.set(noise(0.3, rate, 5, 0.2), rate / 2);
  await page.goto(address());
  await dropFiles(page, '.songs-page', [
    { name: 'voice.wav', bytes: wavFile([voice], rate, '24') },
  ]);
}

test('a vocal’s flanks go into a room with 100 and 149 ms: exported, it is what is heard beside the part', async ({
  page,
}) => {
  test.setTimeout(240_000);
  await openBreath(page);
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

  // Frozen, it is the same file; what its flanks feed goes on, too.
  await page.getByRole('button', { name: 'Freeze', exact: true }).last().click();
  await expect(page.getByTestId('frozen-voice')).toHaveText('· frozen', { timeout: 30_000 });
  const frozen = await exported(page, 'voice');
  const tail = await exported(page, 'Plate-like, return');
  for (const [was, is] of [
    [partLeft, frozen[0]],
    [partRight, frozen[1]],
    [left, tail[0]],
  ]) {
    expect(is.length).toBe(was.length);
    expect(is.reduce((most, value, n) => max(most, abs(value - was[n])), 0)).toBeLessThan(2e-7);
  }

  // Rooms are left out by a press, and what was done lasts over a reload.
  await page.getByRole('button', { name: 'Rooms', exact: true }).click();
  const dry = await tap(page, 0, rate, 'heard');
  for (let n = 1000; n < rate; n += 17)
    expect(abs(steps24(dry.left[n]) - steps24(partLeft[dry.frame + n]))).toBeLessThan(2);
  await page.reload();
  await expect(room).toContainText('voice, flanks');
  await undo(page, /^Undo voice: frozen/).click();
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
  const drag = async (what: Locator) => {
    const from = await middleOf(what);
    const to = await middleOf(nameOf(page, 'Viola'));
    await page.mouse.move(from.x, from.y);
    await page.mouse.down();
    await page.mouse.move(from.x, from.y - 12, { steps: 4 });
    await page.mouse.move(to.x, to.y, { steps: 12 });
    await page.mouse.up();
  };
  await page.evaluate(() => {
    const { pannet } = globalThis as unknown as {
      pannet: { do(name: string, edits: readonly object[]): boolean };
    };
    const changes = { family: 'struck' };
    pannet.do('Drum: struck', [{ kind: 'set-part', partId: 'part-2', changes }]);
  });
  // Its colour alone goes to another row and leaves it where it is.
  await drag(nameOf(page, 'Drum').locator('.lane-colour'));
  await expect(undo(page, 'Undo Viola: struck')).toBeVisible();
  await expect(group).toContainText('1 part');
  await drag(nameOf(page, 'Drum'));
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

  // Its drafts are compared at the loudness of what was heard first; what is written has its own.
  await group.getByRole('button', { name: 'Settings of Group 1' }).click();
  await group.getByRole('button', { name: 'Keep as draft 1 of Group 1' }).click();
  await level.fill('-6');
  await level.press('Enter');
  await group.getByRole('button', { name: 'Keep as draft 2 of Group 1' }).click();
  await group.getByRole('button', { name: 'Solo Group 1' }).click();
  const soft = await tap(page, rate, rate / 2, 'heard');
  await group.getByRole('button', { name: 'Draft 1 of Group 1', exact: true }).click();
  const matched = group.getByRole('button', { name: /let go of the level of Group 1/ });
  await expect(matched).toHaveText('matched −6.0 LU', { timeout: 60_000 });
  const equal = await tap(page, rate, rate / 2, 'heard');
  expect(10 * log10(power(equal.left) / power(soft.left))).toBeCloseTo(0, 2);
  await matched.click();
  const loud = await tap(page, rate, rate / 2, 'heard');
  expect(10 * log10(power(loud.left) / power(soft.left))).toBeCloseTo(6, 2);
  await group.getByRole('button', { name: 'Solo Group 1' }).click();

  // Evened and brought in, it is written as it is heard alone.
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

test('a room rings by a response of one’s own: dropped, shortened, exported as ffmpeg convolves it', async ({
  page,
}) => {
  test.setTimeout(240_000);
  await openBreath(page);
  await toSong(page);
  await page.getByLabel('Add a room').selectOption('own response');
  await page.getByLabel(/^Feed a room/).selectOption({ label: 'Own response' });
  const room = page.getByTestId('room-Own response');
  await room.getByRole('button', { name: 'Settings of Own response' }).click();
  await expect(room.getByTestId('response-Own response')).toContainText('Drop a recorded response');

  // What cannot be one is said, and nothing is lost.
  const lane = '[data-testid="room-Own response"]';
  const silent = { name: 'valley.wav', bytes: wavFile([new Float32Array(13 * rate)], rate, '24') };
  await dropFiles(page, lane, [silent]);
  await expect(
    page.getByText("A room's response is 12 s long at most; “valley.wav” has 13.00 s."),
  ).toBeVisible();
  const sides = [7, 8].map((seed) =>
    noise(0.8, rate, seed, 0.3).map(
      (value, n) => (n === 0 ? 0.6 : value) * 10 ** ((-3 * n) / (0.5 * rate)),
    ),
  );
  await dropFiles(page, lane, [{ name: 'old mill.wav', bytes: wavFile(sides, rate, '32f') }]);
  await expect(room.getByTestId('response-Own response')).toContainText(
    /60 dB down in 0\.(49|50|51)/,
    {
      timeout: 30_000,
    },
  );
  expect(await seriousFaults(page)).toEqual([]);

  const dry = await exportedFile(page, 'voice');
  const [dryLeft] = await channelsOf(dry);
  const written = await exported(page, 'Own response, return');
  const convolve = async (by: readonly Float32Array[]) => {
    const [response, convolved] = ['by.wav', 'out.wav'].map((name) => join(scratchFolder(), name));
    writeFileSync(response, wavFile(by, rate, '32f'));
    const filter = '[0]apad=pad_dur=1[dry];[dry][1]afir=gtype=none:precision=double';
    execFileSync('ffmpeg', [
      ...['-v', 'error', '-y', '-i', dry, '-i', response],
      ...['-lavfi', filter, '-c:a', 'pcm_f32le', convolved],
    ]);
    return channelsOf(convolved);
  };
  // Some versions of it give back twice as much.
  const one = Float32Array.from({ length: 64 }, (_, n) => (n === 0 ? 1 : 0));
  const unit = await convolve([one, one]);
  const scale = dryLeft[rate / 2 + 5] / unit[0][rate / 2 + 5];
  const outside = await convolve(sides);
  // It is as loud as nothing over both sides, and 12 dB under that as a room begins.
  const energy = sides.flatMap((side) => [...side]).reduce((sum, value) => sum + value ** 2, 0) / 2;
  const gain = (scale * 10 ** (-12 / 20)) / Math.sqrt(energy);
  for (const side of [0, 1])
    for (let n = 0; n < 2.2 * rate; n++)
      if (abs(written[side][n] - gain * outside[side][n]) > 2e-6)
        throw new Error(
          `Side ${side} differs at ${n}: ${written[side][n]}, ${gain * outside[side][n]}.`,
        );

  await wakeAudio(page);
  const heard = await tap(page, 0, 2 * rate, 'heard');
  let apart = 0;
  for (let n = 1000; n < 2 * rate; n++) {
    const at = heard.frame + n;
    apart = max(
      apart,
      abs(steps24(heard.left[n]) - steps24(dryLeft[at]) - steps24(written[0][at])),
    );
  }
  expect(apart).toBeLessThan(4);

  // Frozen it is the same sound, here and in the file, for as long as nothing of it is changed.
  const mark = room.getByTestId('frozen-Own response');
  await room.getByRole('button', { name: 'Freeze', exact: true }).click();
  await expect(mark).toHaveText('· frozen', { timeout: 30_000 });
  const frozen = await exported(page, 'Own response, return');
  expect(frozen[0].length).toBe(written[0].length);
  for (const side of [0, 1])
    expect(
      frozen[side].reduce((most, value, n) => max(most, abs(value - written[side][n])), 0),
    ).toBeLessThan(2e-7);
  const read = await tap(page, 0, 2 * rate, 'heard');
  let differs = 0;
  for (let n = 1000; n < 2 * rate; n++) {
    const at = read.frame + n;
    differs = max(differs, abs(steps24(read.left[n]) - steps24(dryLeft[at] + frozen[0][at])));
  }
  expect(differs).toBeLessThan(3);

  // Shortened, it says so; undone and reloaded, it is what it was.
  const decay = room.getByRole('textbox', { name: 'Decay of its own', exact: true });
  await decay.fill('50');
  await decay.press('Enter');
  await expect(room.getByTestId('response-Own response')).toContainText('60 dB down in 0.25');
  await expect(mark).toHaveText('· changed since it was frozen');
  await expect(page.getByText('saved', { exact: true })).toBeVisible();
  await page.reload();
  await undo(page, /^Undo Own response: decay of its own/).click();
  await expect(mark).toHaveText('· frozen');
  await room.getByRole('button', { name: 'Settings of Own response' }).click();
  await expect(room.getByLabel('Response of Own response', { exact: true })).toContainText(
    'old mill.wav',
  );
  await expect(room.getByTestId('response-Own response')).toContainText('60 dB down in 0.5');
  await room.getByRole('button', { name: 'Ring live' }).click();
  await expect(mark).toBeHidden();
});

test('a group in a group with a spring that gives back into it: nested, ridden, exported as it is heard, undone', async ({
  page,
}) => {
  test.setTimeout(180_000);
  await openParts(page, 'Nested', ['Oboe', 'Viola', 'Drum']);
  await toSong(page);
  for (const name of ['Oboe', 'Viola']) {
    await nameOf(page, name).click();
    await page.getByLabel(`Group of ${name}`).selectOption('new');
  }
  const [outer, inner] = [page.getByTestId('group-Group 1'), page.getByTestId('group-Group 2')];
  await inner.getByRole('button', { name: 'Settings of Group 2' }).click();
  await inner.getByLabel('Group 2 lies in').selectOption({ label: 'Group 1' });
  await outer.getByRole('button', { name: 'Settings of Group 1' }).click();
  // No circle is offered: only what may lie there.
  await expect(
    outer.getByLabel('Group 1 lies in').getByRole('option', { name: 'Group 2' }),
  ).toHaveCount(0);
  await nameOf(page, 'Drum').click();
  await page.getByLabel('Add a room').selectOption('spring');
  await page.getByLabel(/^Feed a room/).selectOption({ label: 'Spring' });
  const room = page.getByTestId('room-Spring');
  await room.getByRole('button', { name: 'Settings of Spring' }).click();
  await room.getByLabel('Spring gives back into').selectOption({ label: 'Group 1' });
  expect(await seriousFaults(page)).toEqual([]);

  // Both parts and the spring of the third are in the outer group, heard alone and written alike.
  const level = outer.getByRole('textbox', { name: 'Level of Group 1' });
  await level.fill('-6');
  await level.press('Enter');
  const group = await exported(page, 'Group 1, group');
  const spring = await exported(page, 'Spring, return');
  const oboe = await exported(page, 'Oboe');
  const viola = await exported(page, 'Viola');
  const gain = 10 ** (-6 / 20);
  for (let n = 2 * rate; n < 5 * rate; n += 7)
    for (const side of [0, 1])
      if (abs(group[side][n] - gain * (oboe[side][n] + viola[side][n] + spring[side][n])) > 1e-6)
        throw new Error(`Side ${side} of the group is not what is in it at ${n}.`);
  expect(group[0].length).toBeGreaterThan(20 * rate);
  await outer.getByRole('button', { name: 'Solo Group 1' }).click();
  await wakeAudio(page);
  const alone = await tap(page, 6 * rate, 2 * rate, 'heard');
  let apart = 0;
  // A spring begins empty where it plays from: its own seconds have passed by then.
  for (let n = rate; n < 2 * rate; n++)
    apart = max(apart, abs(alone.left[n] - group[0][alone.frame + n]));
  expect(apart).toBeLessThan(0.02);

  // Dissolved, the inner group is gone and its part in the outer one; all of it is undone over a reload.
  await inner.getByRole('button', { name: 'Dissolve Group 2' }).click();
  await expect(inner).toHaveCount(0);
  await expect(page.getByText('saved', { exact: true })).toBeVisible();
  await page.reload();
  await undo(page, 'Undo Group 2: dissolved').click();
  await expect(inner).toBeVisible();
  await inner.getByRole('button', { name: 'Settings of Group 2' }).click();
  await expect(inner.getByLabel('Group 2 lies in').locator('option:checked')).toHaveText('Group 1');
});
