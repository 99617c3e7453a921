import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import { demoTape, score } from '@pannet/core/demo/score';
import { wavFile } from '@pannet/core/formats/wav-write';
import { integratedLoudness } from '@pannet/core/measurement/loudness';
import { measureStereo } from '@pannet/core/measurement/report';
import { plucked } from '@pannet/core/performing/instruments';
import {
  address,
  channelsOf,
  collect,
  dropFiles,
  rate,
  scratchFolder,
  seriousFaults,
  steps24,
  tap,
  wakeAudio,
  withoutDropouts,
} from './stage.ts';

const seconds = 12;

function cleanTake() {
  const line = plucked(score.plucked, 12, demoTape).subarray(0, seconds * rate);
  return {
    name: 'clean harp.wav',
    bytes: wavFile([Float32Array.from(line, (value) => 0.4 * value)], rate, '24'),
  };
}

const chain = (page: Page, voice: string) =>
  page.getByRole('region', { name: `Chain of ${voice}` });
const undo = (page: Page, name: string | RegExp) => page.getByRole('button', { name });

test('one clean part through two chains: equal ones are said, then unlike, even, lined up, exported and measured', async ({
  page,
}) => {
  test.setTimeout(240_000);
  await page.goto(address());
  await dropFiles(page, '.songs-page', [cleanTake()]);
  await page.getByRole('button', { name: 'Add a pair' }).click();
  // Only the chains are heard: the middle is taken away.
  await page.getByRole('button', { name: /^Remove (?!left|right)/ }).click();
  await page.getByRole('button', { name: 'Amps' }).click();
  await page.getByRole('button', { name: 'A chain for left' }).click();
  await chain(page, 'left').getByRole('button', { name: 'Copy' }).click();
  const apart = page.getByRole('region', { name: 'How the chains differ' });
  await expect(apart).toContainText('Both chains are equal: panned out it is still mono');
  await expect(apart).toContainText('Likeness1.00', { timeout: 60_000 });

  const right = chain(page, 'right');
  await right.getByLabel('Cabinet, chain of right').selectOption('squat, four cones');
  const drive = right.getByRole('textbox', { name: 'Drive, chain of right' });
  await drive.fill('30');
  await drive.press('Enter');
  await right.getByLabel('Shape, chain of right').selectOption('hard');
  const plan = right.getByRole('button', { name: /^Microphone of right/ });
  await plan.press('Shift+ArrowRight');
  await right.getByRole('checkbox').check();
  await expect(apart).toContainText('copy of one performance, not a double', { timeout: 30_000 });
  await expect(apart).toContainText(/Offset[+−]\d\.\d\d ms/, { timeout: 60_000 });

  // Heard before it is kept, each of both.
  await apart.getByRole('button', { name: 'Even out' }).click();
  await apart.getByRole('button', { name: 'Keep' }).click({ timeout: 120_000 });
  await expect(undo(page, /^Undo clean harp: chains even/)).toBeVisible();
  await expect(apart).toContainText(/Loudness[+−]?0\.[01] LU/, { timeout: 60_000 });
  await expect(apart).toContainText(/Crest[+−]?0\.[0-5] dB/);
  await apart.getByRole('button', { name: 'Line up' }).click();
  await apart.getByRole('button', { name: 'Keep' }).click({ timeout: 30_000 });
  await expect(undo(page, /^Undo clean harp: chains lined up/)).toBeVisible();
  await expect(apart).toContainText(/Offset[+−]?0\.00 ms/, { timeout: 60_000 });
  expect(await seriousFaults(page)).toEqual([]);

  // What plays is what is written, alone and together.
  await wakeAudio(page);
  const heard = await tap(page, 4 * rate, 2 * rate);
  await page.getByRole('button', { name: 'Export', exact: true }).click();
  await page.getByRole('button', { name: 'Render 1 stem' }).click();
  const [saved] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Save the file' }).click({ timeout: 60_000 }),
  ]);
  const path = join(scratchFolder(), 'chains.wav');
  await saved.saveAs(path);
  const [left, other] = await channelsOf(path);
  const wrong = [...heard.left.keys()].filter(
    (n) =>
      steps24(heard.left[n]) !== steps24(left[heard.frame + n]) ||
      steps24(heard.right[n]) !== steps24(other[heard.frame + n]),
  );
  expect(wrong).toHaveLength(0);
  const middle = (samples: Float32Array) => samples.slice(2 * rate, 10 * rate);
  const loudness = [left, other].map((side) => integratedLoudness([middle(side)], rate));
  expect(Math.abs(loudness[0] - loudness[1])).toBeLessThan(0.3);
  const { report } = measureStereo(left, other, rate);
  expect(report.stillMono).toBe(false);
  expect(report.fold.lossDb).toBeGreaterThan(-3);

  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Hear left alone' }).click();
  await expect(page.getByRole('button', { name: 'Hear left alone' })).toHaveAttribute(
    'aria-pressed',
    'true',
  );
});

test('a drive is dragged while it plays, without a click, and kept over a reload', async ({
  page,
}) => {
  test.setTimeout(120_000);
  const sine = Float32Array.from(
    { length: 20 * rate },
    (_, n) => 0.2 * Math.sin((2 * Math.PI * 1000 * n) / rate),
  );
  await page.goto(address());
  await dropFiles(page, '.songs-page', [{ name: 'tone.wav', bytes: wavFile([sine], rate, '24') }]);
  await page.getByRole('button', { name: 'Amps' }).click();
  await page.getByRole('button', { name: /^A chain for/ }).click();
  const drive = page.getByRole('textbox', { name: /^Drive, chain of/ });
  await drive.fill('6');
  await drive.press('Enter');
  await wakeAudio(page);
  await page.getByRole('button', { name: 'Play' }).click();
  // What dropped out is dragged and listened to again, from the beginning.
  const { left } = await withoutDropouts(
    async () => {
      const heard = collect(page, 2 * rate, 3 * rate);
      await drive.focus();
      for (let n = 0; n < 10; n++) {
        await drive.press('ArrowUp');
        await page.waitForTimeout(120);
      }
      return heard;
    },
    async () => {
      await drive.fill('6');
      await drive.press('Enter');
    },
  );
  // A chain of a steady tone makes its harmonics and no others: what lies between them is what a change clicks.
  const block = 4096;
  let worst = -Infinity;
  for (let from = 0; from + block <= left.length; from += block / 2) {
    const level = (hz: number) => {
      let [re, im] = [0, 0];
      for (let n = 0; n < block; n++) {
        const window = 0.5 - 0.5 * Math.cos((2 * Math.PI * n) / block);
        re += window * left[from + n] * Math.cos((2 * Math.PI * hz * n) / rate);
        im += window * left[from + n] * Math.sin((2 * Math.PI * hz * n) / rate);
      }
      return Math.hypot(re, im);
    };
    const own = level(1000);
    for (const hz of [1500, 2500, 4500, 6500])
      worst = Math.max(worst, 20 * Math.log10(level(hz) / Math.max(own, 1e-9)));
  }
  expect(worst).toBeLessThan(-50);
  await expect(undo(page, /^Undo .*: drive .* → 11\.0 dB/)).toBeVisible();
  await page.reload();
  await page.getByRole('button', { name: 'Amps' }).click();
  await expect(page.getByRole('textbox', { name: /^Drive, chain of/ })).toHaveValue('11.0');
});
