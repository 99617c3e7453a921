import { join } from 'node:path';
import { readFileSync, writeFileSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import { wavFile } from '@pannet/core/formats/wav-write';
import { sine } from '../packages/core/src/measurement/signals.fixture.ts';
import { address, dropFiles, rate, run, scratchFolder } from './stage.ts';

test('files of other formats and rates come in converted, the original kept; what each source is, is said', async ({
  page,
}) => {
  const folder = scratchFolder();
  const tone = join(folder, 'tone.wav');
  writeFileSync(tone, wavFile([sine(500, -12, 2, 44_100)], 44_100, '24'));
  const encoded = async (name: string, ...options: string[]) => {
    const path = join(folder, name);
    await run('ffmpeg', ['-y', '-v', 'error', '-i', tone, ...options, path]);
    return { name, bytes: new Uint8Array(readFileSync(path)) };
  };
  const twin = sine(300, -12, 2, rate);
  const files = [
    { name: 'first.wav', bytes: wavFile([sine(300, -12, 2, rate)], rate, '24') },
    { name: 'slower.wav', bytes: new Uint8Array(readFileSync(tone)) },
    await encoded('packed.flac'),
    await encoded('small.mp3', '-b:a', '192k'),
    await encoded('free.ogg', '-c:a', 'libvorbis'),
    await encoded('studio.aiff', '-c:a', 'pcm_s24be'),
    { name: 'twin.wav', bytes: wavFile([twin, twin], rate, '24') },
    { name: 'mix.wav', bytes: wavFile([twin, sine(301, -12, 2, rate)], rate, '24') },
  ];
  await page.goto(address());
  await page.getByRole('button', { name: 'New song' }).click();
  await dropFiles(page, '.frame', files);
  const panel = page.getByRole('region', { name: 'Import' });
  await panel.getByText('8 notes on what came in').click({ timeout: 60_000 });
  await expect(panel.getByText(/“mix\.wav” is the bed\. Really stereo/)).toBeVisible({
    timeout: 60_000,
  });
  await expect(panel.getByRole('alert')).toHaveCount(0);
  await expect(
    panel.getByText(/“first\.wav”: It became a part\. Mono, clean, sustained/),
  ).toBeVisible();
  await expect(
    panel.getByText(/“twin\.wav”: Its left channel became a part\. Stereo, but really mono/),
  ).toBeVisible();
  for (const [name, format] of [
    ['slower.wav', 'WAV'],
    ['packed.flac', 'FLAC'],
    ['small.mp3', 'MP3'],
    ['free.ogg', 'Ogg Vorbis'],
    ['studio.aiff', 'AIFF'],
  ])
    await expect(
      panel.getByText(
        `Converted from ${format}, from 44.1 to 48.0 kHz; “${name}” is kept as it came.`,
      ),
    ).toBeVisible();
  await panel.getByRole('button', { name: 'Dismiss' }).click();

  await page
    .getByTestId('part-packed')
    .getByRole('button', { name: 'packed', exact: true })
    .click();
  await page.getByRole('button', { name: 'Take', exact: true }).click();
  const [kept] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Save the original' }).click(),
  ]);
  expect(kept.suggestedFilename()).toBe('packed.flac');
  expect(readFileSync(await kept.path()).equals(Buffer.from(files[2].bytes))).toBe(true);
  await expect(page.getByText('saved', { exact: true })).toBeVisible();
  await page.reload();
  await expect(page.getByTestId('part-packed')).toBeVisible();
});
