import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { wavFile } from '@pannet/core/formats/wav-write';
import { voiceChangeMs } from '@pannet/core/parameters/tables';
import wavefile from 'wavefile';
import { noise, sine } from '../packages/core/src/measurement/signals.fixture.ts';
import { exported } from './song-place.ts';
import {
  address,
  channelsOf,
  collect,
  dropFiles,
  middleOf,
  rate,
  repository,
  run,
  scratchFolder,
  songOf,
  steps24,
  tap,
  upload,
  voiceBar,
  wakeAudio,
  withoutDropouts,
  applyRecipe,
} from './stage.ts';

const seconds = 24;

function take(): Float32Array {
  const melody = noise(seconds, rate, 21, 0.08);
  for (const [n, hz] of [220, 277, 330, 262].entries()) {
    const tone = sine(hz, -14, seconds / 4, rate);
    const at = Math.round((n * seconds * rate) / 4);
    for (let k = 0; k < tone.length; k++) melody[at + k] += tone[k];
  }
  return melody;
}

test('drop a take, make it wide, hear it, export it: what plays is what is written', async ({
  page,
}) => {
  const folder = scratchFolder();
  const bytes = wavFile([take()], rate, '24');
  const takePath = join(folder, 'melody.wav');
  writeFileSync(takePath, bytes);

  await page.goto(address());
  await page.getByRole('button', { name: 'New song' }).click();
  await expect(page.getByText('This song is empty')).toBeVisible();
  await dropFiles(page, '.frame', [{ name: 'melody.wav', bytes }]);
  await expect(page.getByTestId('part-melody')).toBeVisible();

  await applyRecipe(page, 'Tuned doubles');
  await expect(page.getByTestId('voice-right double')).toBeVisible();

  // Drag the right double later; while it is held, ms and samples are shown.
  const bar = await middleOf(voiceBar(page, 'right double'));
  await page.mouse.move(bar.x, bar.y);
  await page.mouse.down();
  await page.mouse.move(bar.x, bar.y + 31, { steps: 8 });
  await expect(page.getByTestId('drag-figures')).toContainText(/\d+\.\d\d ms · [\d.]+ smp/);
  await page.mouse.up();
  const delayed = page.getByLabel('Delay of right double', { exact: true });
  await expect(delayed).not.toHaveValue('17.00');
  const dragged = Number(await delayed.inputValue());
  expect(dragged).toBeGreaterThan(18);
  await expect(
    page.getByRole('button', { name: /^Undo right double: delay 17\.0 → / }),
  ).toBeVisible();

  // Typed in samples: what was typed is what is stored.
  await page.getByLabel('Unit of the delay of left double').selectOption('samples');
  const left = page.getByLabel('Delay of left double', { exact: true });
  await left.fill('533');
  await left.press('Enter');
  await expect(page.getByTestId('voice-left double')).toHaveAttribute(
    'aria-label',
    /11\.10 ms · 533 smp/,
  );

  await wakeAudio(page);
  await expect(page.getByText(/tuning \d voice/)).toBeHidden();
  await expect(page.getByText('saved', { exact: true })).toBeVisible();

  const starts = [0, 3 * rate + 77, 11 * rate + 12_345];
  const heard = [];
  for (const start of starts) heard.push(await tap(page, start, 10 * rate));

  await page.getByRole('button', { name: 'Export', exact: true }).click();
  await page.getByRole('button', { name: 'Render 1 stem' }).click();
  await expect(page.getByText('melody_wide.wav')).toBeVisible({ timeout: 60_000 });
  const [saved] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Save the file' }).click(),
  ]);
  expect(saved.suggestedFilename()).toBe('melody_wide.wav');
  const stem = join(folder, 'melody_wide.wav');
  await saved.saveAs(stem);
  await page.keyboard.press('Escape');

  // Independent readers: ffprobe, and a WAV package from the registry.
  const { stdout } = await run('ffprobe', ['-v', 'error', '-show_streams', '-of', 'json', stem]);
  const [stream] = (JSON.parse(stdout) as { streams: Record<string, unknown>[] }).streams;
  expect(stream).toMatchObject({
    codec_name: 'pcm_s24le',
    sample_rate: '48000',
    channels: 2,
    duration_ts: seconds * rate,
  });
  const foreign = new wavefile.WaveFile(readFileSync(stem));
  expect(foreign.bitDepth).toBe('24');
  const written = foreign.getSamples(false, Int32Array) as unknown as Int32Array[];
  expect(written[0]).toHaveLength(seconds * rate);

  for (const { frame, left: l, right: r } of heard) {
    expect(l).toHaveLength(10 * rate);
    let wrong = 0;
    for (let n = 0; n < l.length; n++)
      if (steps24(l[n]) !== written[0][frame + n] || steps24(r[n]) !== written[1][frame + n])
        wrong++;
    expect(wrong, `from frame ${frame}`).toBe(0);
  }
  expect(heard.map(({ frame }) => frame)).toEqual(starts);

  // The command line, from the image file of the same part, in another engine.
  const [imageFile] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Save image file' }).click(),
  ]);
  const imagePath = join(folder, 'image.json');
  await imageFile.saveAs(imagePath);
  const out = join(folder, 'cli.wav');
  await run(join(repository, 'pannet'), [
    'render',
    '--image',
    imagePath,
    '--take',
    takePath,
    '--out',
    out,
  ]);
  const [fromBrowser, fromCommandLine] = [await channelsOf(stem), await channelsOf(out)];
  let error = 0;
  let power = 0;
  for (const side of [0, 1])
    for (let n = 0; n < seconds * rate; n++) {
      error += (fromBrowser[side][n] - fromCommandLine[side][n]) ** 2;
      power += fromBrowser[side][n] ** 2;
    }
  expect(10 * Math.log10(error / power + 1e-30)).toBeLessThan(-140);
});

test('one recipe goes to several parts as one undo; they export together as a zip', async ({
  page,
}) => {
  const folder = scratchFolder();
  await page.goto(address());
  await page.getByRole('button', { name: 'New song' }).click();
  const files = ['one', 'two', 'three'].map((name, n) => ({
    name: `${name}.wav`,
    bytes: wavFile([noise(2, rate, 30 + n)], rate, '24'),
  }));
  await dropFiles(page, '.frame', files);
  await expect(page.getByTestId('part-three')).toBeVisible();
  await page.getByTestId('part-one').getByRole('button', { name: 'one', exact: true }).click();
  await page
    .getByTestId('part-three')
    .getByRole('button', { name: 'three', exact: true })
    .click({ modifiers: ['Shift'] });
  await expect(page.getByText('3 parts are selected')).toBeVisible();
  await applyRecipe(page, 'Mirrored');
  await expect(page.getByRole('button', { name: 'Undo 3 parts: mirrored' })).toBeVisible();

  await page.getByRole('button', { name: 'Export', exact: true }).click();
  await page.getByRole('button', { name: 'Render 3 stems' }).click();
  const [zip] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Save as one zip' }).click({ timeout: 60_000 }),
  ]);
  const path = join(folder, 'stems.zip');
  await zip.saveAs(path);
  const { stdout } = await run('python3', ['-m', 'zipfile', '-l', path]).catch(() =>
    run('unzip', ['-l', path]),
  );
  for (const name of ['one', 'two', 'three']) expect(stdout).toContain(`${name}_wide.wav`);
  await page.keyboard.press('Escape');

  await page.keyboard.press('Control+z');
  await expect(page.getByRole('button', { name: 'Redo 3 parts: mirrored' })).toBeVisible();
  await expect(page.getByText('saved', { exact: true })).toBeVisible();
  await page.reload();
  await expect(page.getByRole('button', { name: 'Redo 3 parts: mirrored' })).toBeVisible();
});

/**
 * How strong a tone is in a sound, 0 to 1 of all of it. In one place it may go over into itself in another phase: what is exported takes the place of what
 * was heard first.
 */
function shareOf(hz: number, samples: Float32Array): number {
  // Summed up to every hundredth of a second.
  const step = rate / 100;
  const sums = [[0, 0, 0]];
  for (let at = 0; at < samples.length; at += step) {
    let [re, im, whole] = sums[sums.length - 1];
    for (let n = at; n < at + step; n++) {
      re += samples[n] * Math.cos((2 * Math.PI * hz * n) / rate);
      im += samples[n] * Math.sin((2 * Math.PI * hz * n) / rate);
      whole += samples[n] ** 2;
    }
    sums.push([re, im, whole]);
  }
  const last = sums.length - 1;
  const goingOver = Math.ceil((2 * voiceChangeMs) / 10);
  const between = (from: number, to: number) => {
    const [re, im, whole] = sums[to].map((value, k) => value - sums[from][k]);
    return { tone: Math.hypot(re, im), whole };
  };
  const shareBut = (from: number, to: number) => {
    const [before, after] = [between(0, from), between(to, last)];
    const frames = (last - (to - from)) * step;
    return (2 * (before.tone + after.tone) ** 2) / (frames * (before.whole + after.whole));
  };
  let most = shareBut(0, 0);
  for (let at = 1; at + goingOver < last; at++) most = Math.max(most, shareBut(at, at + goingOver));
  return most;
}

for (const kind of ['chords', 'pads'])
  test(`${kind} are turned while they play: heard tuned within a moment, then as they are exported`, async ({
    page,
  }) => {
    const hz = 440;
    const tone = wavFile([sine(hz, -12, 16, rate)], rate, '24');
    const id = await songOf(address(), `A tone as ${kind}`, [
      await upload(address(), 'tone.wav', tone),
    ]);
    await page.goto(`${address()}/songs/${id}`);
    await page.getByRole('button', { name: 'Tuner', exact: true }).click();
    await page.getByLabel(/^What the tuner of .* is for$/).selectOption(kind);
    const tuning = page.getByLabel(/^Tuning of /);
    const tune = async (cents: string) => {
      await tuning.fill(cents);
      await tuning.press('Enter');
    };
    await tune('20');
    await wakeAudio(page);
    await page.getByRole('button', { name: 'Play', exact: true }).click();
    await page.waitForTimeout(1500);

    // What is collected begins when the value is in: half a second later it is the new tuning, though the whole take's segment takes longer to come.
    let cents = 20;
    const { left } = await withoutDropouts(async () => {
      cents = -cents - 5;
      await tune(String(cents));
      return collect(page, null, rate);
    });
    const then = left.subarray(rate / 2);
    expect(shareOf(hz * 2 ** (cents / 1200), then)).toBeGreaterThan(0.97);
    expect(shareOf(hz * 2 ** ((-cents - 5) / 1200), then)).toBeLessThan(0.05);

    // It plays on until the tuning stands.
    await page.waitForTimeout(1500);
    await page.getByRole('button', { name: 'Stop', exact: true }).click();
    await expect(page.getByRole('button', { name: 'Play', exact: true })).toBeVisible();
    const start = 7 * rate + 321;
    const heard = await tap(page, start, 4 * rate);
    const [l, r] = await exported(page, 'tone');
    let wrong = 0;
    for (let n = 0; n < heard.left.length; n++)
      if (
        steps24(heard.left[n]) !== steps24(l[start + n]) ||
        steps24(heard.right[n]) !== steps24(r[start + n])
      )
        wrong++;
    expect(wrong).toBe(0);
  });
