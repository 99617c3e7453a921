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
  // What was measured before is shown pale until it is measured anew.
  await expect(page.getByTestId('verdict')).toHaveAttribute('data-stale', 'false', {
    timeout: 60_000,
  });
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
  expect(betweenHarmonicsDb(left)).toBeLessThan(-50);
  await expect(undo(page, /^Undo .*: drive .* → 11\.0 dB/)).toBeVisible();
  await page.reload();
  await page.getByRole('button', { name: 'Amps' }).click();
  await expect(page.getByRole('textbox', { name: /^Drive, chain of/ })).toHaveValue('11.0');
});

test('an impulse response of one’s own is dropped on a chain: listed, heard as it convolves, and removed safely', async ({
  page,
}) => {
  test.setTimeout(180_000);
  await page.goto(address());
  await dropFiles(page, '.songs-page', [cleanTake()]);
  await page.getByRole('button', { name: 'Amps' }).click();
  const voice = page.getByRole('region', { name: /^Chain of / });
  const response = Float32Array.from({ length: 0.2 * rate }, (_, n) =>
    n < 96 ? 0 : 0.25 * Math.exp(-(n - 96) / 900) * Math.cos(((n - 96) * (n % 7)) / 5),
  );
  const long = { name: 'hall.wav', bytes: wavFile([new Float32Array(2 * rate)], rate, '24') };
  const own = { name: 'my box.wav', bytes: wavFile([response], rate, '32f') };
  await dropFiles(page, '.amp-column', [long]);
  await expect(
    page.getByText('An impulse response is 1 s long at most; “hall.wav” has 2.00 s.'),
  ).toBeVisible();
  await dropFiles(page, '.amp-column', [{ name: 'song.txt', bytes: new Uint8Array(100) }]);
  await expect(
    page.getByText(/“song.txt” cannot be an impulse response, which is a WAV file/),
  ).toBeVisible();
  // A chain has one response: what was dropped with it is not lost without a word.
  await dropFiles(page, '.amp-column', [own, { ...own, name: 'another.wav' }]);
  await expect(page.getByText('A chain has one: “another.wav” was not taken.')).toBeVisible({
    timeout: 20_000,
  });
  const list = page.getByRole('list', { name: 'Impulse responses of yours' });
  await expect(list).toContainText('my box.wav200 ms · 1 chain', { timeout: 20_000 });
  await expect(voice.getByLabel(/^Cabinet, chain of/)).toContainText('my box.wav');
  // No part was made of it.
  await expect(page.getByTestId('part-my box')).toHaveCount(0);
  await voice.getByRole('checkbox', { name: 'level it' }).uncheck();
  await expect(page.getByTestId('verdict')).toHaveAttribute('data-stale', 'false', {
    timeout: 60_000,
  });
  expect(await seriousFaults(page)).toEqual([]);

  // What is used is not removed; over a reload it is still there.
  await list.getByRole('button', { name: 'Remove my box.wav' }).click();
  await expect(page.getByText(/is the impulse response of a chain/)).toBeVisible();
  await expect(page.getByText('saved', { exact: true })).toBeVisible();
  await page.reload();
  await page.getByRole('button', { name: 'Export', exact: true }).click();
  await page.getByRole('button', { name: 'Render 1 stem' }).click();
  const [saved] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Save the file' }).click({ timeout: 60_000 }),
  ]);
  const path = join(scratchFolder(), 'own.wav');
  await saved.saveAs(path);
  const [left] = await channelsOf(path);
  const line = plucked(score.plucked, 12, demoTape);
  // The pan law of −3 dB takes 1/√2 of the middle, and both files have 24 bits.
  const centre = Math.SQRT1_2;
  for (const n of [100_000, 150_001, 250_000, 400_123]) {
    let direct = 0;
    for (let k = 0; k < response.length; k++) direct += response[k] * 0.4 * line[n - k];
    expect(Math.abs(left[n] - centre * direct)).toBeLessThan(2e-6);
  }

  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Amps' }).click();
  await voice.getByLabel(/^Cabinet, chain of/).selectOption('no cabinet');
  await expect(list).toContainText('not used');
  await list.getByRole('button', { name: 'Remove my box.wav' }).click();
  await expect(list).toHaveCount(0);
  await page.getByRole('button', { name: /^Undo remove impulse response/ }).click();
  await expect(list).toContainText('my box.wav');
});

test('clean, driven and pushed are states under number keys, switched while it plays with no click and no jump of loudness', async ({
  page,
}) => {
  test.setTimeout(180_000);
  const sine = Float32Array.from(
    { length: 20 * rate },
    (_, n) => 0.2 * Math.sin((2 * Math.PI * 1000 * n) / rate),
  );
  await page.goto(address());
  await dropFiles(page, '.songs-page', [{ name: 'tone.wav', bytes: wavFile([sine], rate, '24') }]);
  await page.getByRole('button', { name: 'Amps' }).click();
  await page.getByRole('button', { name: /^A chain for/ }).click();
  const field = async (label: RegExp | string, value: string) => {
    const box = page.getByRole('textbox', { name: label });
    await box.fill(value);
    await box.press('Enter');
    await box.blur();
  };
  await field(/^Drive, chain of/, '0');
  await field(/^Squash, chain of/, '0');
  await page.keyboard.press('1');
  await field(/^Drive, chain of/, '18');
  await page.keyboard.press('2');
  await page.getByRole('button', { name: 'Drive before all' }).click();
  await field('Drive before all voices', '20');
  await page.keyboard.press('3');
  for (const number of [1, 2, 3])
    await expect(page.getByRole('button', { name: `Draft ${number}`, exact: true })).toBeVisible();
  // All of them are measured before anything plays.
  await expect
    .poll(
      () =>
        page.evaluate(
          () =>
            Object.keys(
              (
                globalThis as unknown as {
                  pannet: { analyst: { store: { getState(): { parts: object } } } };
                }
              ).pannet.analyst.store.getState().parts,
            ).length,
        ),
      { timeout: 60_000 },
    )
    .toBeGreaterThanOrEqual(3);
  await wakeAudio(page);
  await page.keyboard.press('1');
  await expect(page.getByText(/matched/)).toBeVisible({ timeout: 30_000 });
  await page.getByRole('button', { name: 'Play' }).click();
  const { left } = await withoutDropouts(async () => {
    const heard = collect(page, 2 * rate, 8 * rate, 'heard');
    await page.waitForTimeout(800);
    for (const key of ['2', '3', '1', '3', '2', '1']) {
      await page.keyboard.press(key);
      await page.waitForTimeout(1000);
    }
    return heard;
  });
  const window = 0.4 * rate;
  const loudness: number[] = [];
  for (let from = 0; from + window <= left.length; from += window / 4)
    loudness.push(integratedLoudness([left.slice(from, from + window)], rate));
  expect(Math.max(...loudness) - Math.min(...loudness)).toBeLessThan(0.3);
  // Harmonics of a steady tone are what a chain makes; what lies between them is what a switch clicks.
  expect(betweenHarmonicsDb(left)).toBeLessThan(-50);
  await expect(page.getByRole('button', { name: 'Draft 1', exact: true })).toBeVisible();
});

test('a clean chain beside a driven one is offered the middle; what lies apart is found and mended', async ({
  page,
}) => {
  test.setTimeout(180_000);
  await page.goto(address());
  await dropFiles(page, '.songs-page', [cleanTake()]);
  await page.getByRole('button', { name: 'Add a pair' }).click();
  await page.getByRole('button', { name: /^Remove (?!left|right)/ }).click();
  await page.getByRole('button', { name: 'Amps' }).click();
  await page.getByRole('button', { name: 'A chain for left' }).click();
  await chain(page, 'left').getByRole('button', { name: 'Copy' }).click();
  const drive = (voice: string) => page.getByRole('textbox', { name: `Drive, chain of ${voice}` });
  await drive('left').fill('0');
  await drive('left').press('Enter');
  await drive('right').fill('36');
  await drive('right').press('Enter');
  const apart = page.getByRole('region', { name: 'How the chains differ' });
  await expect(apart).toContainText('A clean side beside a driven one');
  await apart.getByRole('button', { name: 'Middle' }).click();
  await apart.getByRole('button', { name: 'Keep' }).click({ timeout: 30_000 });
  await expect(undo(page, /^Undo clean harp: both chains in the middle/)).toBeVisible();
  await undo(page, /^Undo clean harp: both chains in the middle/).click();

  // Swapped and put back; each is reset by a press.
  await apart.getByRole('button', { name: 'Swap' }).click();
  await expect(drive('left')).toHaveValue('36.0');
  await expect(drive('right')).toHaveValue('0.0');
  await page.getByRole('button', { name: 'Reset the chain of left' }).click();
  await expect(drive('left')).toHaveValue('12.0');
  await drive('left').fill('3');
  await drive('left').press('Enter');

  // 0.8 ms are too little to be meant: said among the findings, with what mends it.
  await page.getByRole('button', { name: 'Place', exact: true }).click();
  const delay = page.getByLabel('Delay of right', { exact: true });
  await delay.fill('0.8');
  await delay.press('Enter');
  await delay.blur();
  const finding = page.getByTestId('finding-chains-apart');
  await expect(finding).toContainText('The chains of both sides lie', { timeout: 60_000 });
  await finding.getByRole('button', { name: 'Try a mend for: chains-apart' }).click();
  await finding
    .getByRole('button', { name: 'Keep the mend for: chains-apart' })
    .click({ timeout: 60_000 });
  await expect(finding).toHaveCount(0, { timeout: 60_000 });
});

/** The most between the harmonics of 1 kHz against it, over any stretch of 4096 frames. */
function betweenHarmonicsDb(samples: Float32Array): number {
  const block = 4096;
  let worst = -Infinity;
  for (let from = 0; from + block <= samples.length; from += block / 2) {
    const level = (hz: number) => {
      let [re, im] = [0, 0];
      for (let n = 0; n < block; n++) {
        const window = 0.5 - 0.5 * Math.cos((2 * Math.PI * n) / block);
        re += window * samples[from + n] * Math.cos((2 * Math.PI * hz * n) / rate);
        im += window * samples[from + n] * Math.sin((2 * Math.PI * hz * n) / rate);
      }
      return Math.hypot(re, im);
    };
    const own = level(1000);
    for (const hz of [1500, 2500, 4500, 6500])
      worst = Math.max(worst, 20 * Math.log10(level(hz) / Math.max(own, 1e-9)));
  }
  return worst;
}
