import { expect, test, type Page } from '@playwright/test';
import { wavFile } from '@pannet/core/formats/wav-write';
import type { VocodedKind } from '@pannet/core/voices/voice';
import { outsideDb, rms, sine } from '../packages/core/src/measurement/signals.fixture.ts';
import {
  address,
  collect,
  middleOf,
  rate,
  songOf,
  upload,
  voiceBar,
  wakeAudio,
  withoutDropouts,
  applyRecipe,
} from './stage.ts';

const frames = 3 * rate;

/** What of the page's open song is used here; see packages/web/src/session/open-song.ts. */
interface PageDocument {
  readonly shape: { image: { voices: object[] }; preparation: object };
  readonly session: {
    readonly store: { getState(): { song: { parts: Record<string, PageDocument['shape']> } } };
    endPreview(): void;
  };
  do(name: string, edits: readonly object[]): boolean;
  preview(edits: readonly object[]): void;
}

/** Collects three seconds of the part while the mouse does its work. */
async function tapWhile(page: Page, work: () => Promise<void>): Promise<void> {
  const { left, right } = await withoutDropouts(
    async () => {
      const collecting = collect(page, null, frames);
      await work();
      return collecting;
    },
    // From where it was, so that the mouse finds what it drags.
    () => page.keyboard.press('Control+z'),
  );
  for (const side of [left, right])
    if (rms(side) > 1e-3) expect(outsideDb(side, rate, 900, 1100)).toBeLessThan(-60);
  expect(Math.max(rms(left), rms(right))).toBeGreaterThan(0.01);
}

async function dragBy(
  page: Page,
  from: { x: number; y: number },
  dx: number,
  dy: number,
): Promise<void> {
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  const moves = 60;
  for (let n = 1; n <= moves; n++) {
    await page.mouse.move(from.x + (dx * n) / moves, from.y + (dy * n) / moves);
    await page.waitForTimeout(16);
  }
  await page.mouse.up();
}

test('dragging delay, position, level and width of a 1 kHz sine leaves nothing above −60 dB outside 900 to 1100 Hz', async ({
  page,
}) => {
  const recording = await upload(
    address(),
    'tone.wav',
    wavFile([sine(1000, -12, 60, rate)], rate, '24'),
  );
  const id = await songOf(address(), 'A tone', [recording]);
  await page.goto(`${address()}/songs/${id}`);
  await applyRecipe(page, 'One side late');
  await wakeAudio(page);
  await page.getByRole('button', { name: 'Play' }).click();
  await page.waitForTimeout(500);

  const late = () => middleOf(voiceBar(page, 'right late'));
  await tapWhile(page, async () => dragBy(page, await late(), 0, 40));
  await tapWhile(page, async () => dragBy(page, await late(), -230, 0));
  const unit = page.getByTitle('Drag up or down').filter({ hasText: 'dB' });
  const level = page.getByLabel('Level of right late', { exact: true }).locator('xpath=../span');
  await expect(unit.first()).toBeVisible();
  await tapWhile(page, async () => dragBy(page, await middleOf(level), 0, 80));
  await page.getByRole('button', { name: 'Stage', exact: true }).click();
  const width = page.getByLabel('Width, slider');
  const box = await width.boundingBox();
  if (!box) throw new Error('The width has no slider.');
  await tapWhile(page, async () =>
    dragBy(page, { x: box.x + box.width / 2, y: box.y + box.height / 2 }, 60, 0),
  );
  await expect(page.getByRole('button', { name: /^Undo tone: width 100 → / })).toBeVisible();
});

/** A value that is dragged from one end to the other in a second, as a path into the image or the preparation. */
interface Drag {
  readonly path: string;
  readonly ends: readonly [number, number];
  /** What may sound on the way, in Hz: the tone itself, and what the parameter is there to make of it. */
  readonly band?: readonly [number, number];
  /** What the tuner is for, if not for single lines. */
  readonly kind?: VocodedKind;
}

/** Where the sides of a spread voice are farthest apart and a tilt is not at its pivot. */
const toneHz = 1200;
const coloured = [1100, 8500] as const;
const pitched = [500, 3000] as const;
const drags: readonly Drag[] = [
  { path: 'image.voices.0.placement.panPercent', ends: [-100, 100] },
  { path: 'image.voices.0.levelDb', ends: [0, -20] },
  { path: 'image.voices.0.delay.value', ends: [0, 30] },
  { path: 'image.voices.0.tuner.cents', ends: [-50, 50] },
  { path: 'image.voices.0.tuner.cents', ends: [-40, 40], kind: 'pads' },
  { path: 'image.voices.0.tuner.cents', ends: [-45, 45], kind: 'chords' },
  { path: 'image.voices.0.tuner.semitones', ends: [1, 4], band: pitched },
  { path: 'image.voices.0.tuner.mixPercent', ends: [100, 20] },
  { path: 'image.voices.0.drift.rangeMs', ends: [0, 10] },
  { path: 'image.voices.0.drift.rateHz', ends: [0.2, 2] },
  { path: 'image.voices.0.tone.tiltDb', ends: [-6, 6] },
  { path: 'image.voices.0.tone.lowCutHz', ends: [100, 900] },
  { path: 'image.voices.0.tone.highCutHz', ends: [8000, 1200] },
  { path: 'image.voices.0.tone.bell.db', ends: [-9, 9] },
  { path: 'image.voices.0.colour.oddPercent', ends: [0, 100], band: coloured },
  { path: 'image.voices.0.colour.evenPercent', ends: [0, 100], band: coloured },
  { path: 'image.voices.1.placement.degrees', ends: [20, 110] },
  { path: 'image.stage.widthPercent', ends: [0, 200] },
  { path: 'image.stage.tiltDb', ends: [-6, 6] },
  { path: 'image.stage.lowMono.hz', ends: [60, 400] },
  { path: 'image.stage.flanksDb', ends: [0, -20] },
  { path: 'image.stage.balancePercent', ends: [-80, 80] },
  { path: 'image.stage.trimDb', ends: [0, -12] },
  { path: 'image.stage.opening.thresholdDb', ends: [-40, -6] },
  { path: 'preparation.lowCutHz', ends: [40, 800] },
  { path: 'preparation.bands.1.db', ends: [-9, 9] },
  { path: 'preparation.compressor.thresholdDb', ends: [-40, -10] },
  { path: 'preparation.compressor.makeUpDb', ends: [0, 6] },
];

test('every parameter that is dragged while it plays goes without a click', async ({ page }) => {
  test.setTimeout(240_000);
  const tone = wavFile([sine(toneHz, -12, 240, rate)], rate, '16');
  const id = await songOf(address(), 'A third tone', [await upload(address(), 'tone.wav', tone)]);
  await page.goto(`${address()}/songs/${id}`);
  await applyRecipe(page, 'Phase spreading');
  await page.getByRole('button', { name: 'Add voice' }).click();
  await page.evaluate(() => {
    const { pannet: open } = globalThis as unknown as { pannet: PageDocument };
    const { image } = open.session.store.getState().song.parts['part-0'];
    const [spread, added] = image.voices;
    const voices = [{ ...added, placement: { kind: 'pan', panPercent: 30 } }, spread];
    open.do('order', [{ kind: 'set-image', partId: 'part-0', image: { ...image, voices } }]);
  });
  await wakeAudio(page);
  await page.getByRole('button', { name: 'Play' }).click();
  await page.waitForTimeout(500);
  for (const { path, ends, kind, band = [toneHz - 100, toneHz + 100] } of drags) {
    const { left, right } = await withoutDropouts(async () => {
      const collecting = collect(page, null, 1.6 * rate);
      await page.evaluate(
        async ([steps, [from, to], tuner]) => {
          const { pannet: open } = globalThis as unknown as { pannet: PageDocument };
          const { image, preparation } = open.session.store.getState().song.parts['part-0'];
          const put = (
            node: unknown,
            [key, ...rest]: readonly string[],
            value: unknown,
          ): unknown => {
            if (key === undefined) return value;
            const inner = put((node as Record<string, unknown>)[key], rest, value);
            return Array.isArray(node)
              ? node.with(Number(key), inner)
              : { ...(node as object), [key]: inner };
          };
          for (let n = 0; n <= 60; n++) {
            const value = Math.round((from + ((to - from) * n) / 60) * 100) / 100;
            const whole = /semitones|seed/.test(steps.join()) ? Math.round(value) : value;
            const voice = ['image', 'voices', '0', 'tuner', 'kind'];
            const start = tuner
              ? put({ image, preparation }, voice, tuner)
              : { image, preparation };
            const next = put(start, steps, whole) as typeof open.shape;
            open.preview([
              { kind: 'set-image', partId: 'part-0', image: next.image },
              { kind: 'set-preparation', partId: 'part-0', preparation: next.preparation },
            ]);
            await new Promise((resolve) => setTimeout(resolve, 16));
          }
          open.session.endPreview();
        },
        [path.split('.'), ends, kind] as const,
      );
      return collecting;
    });
    expect(Math.max(rms(left), rms(right)), path).toBeGreaterThan(0.005);
    for (const side of [left, right])
      if (rms(side) > 1e-3) expect(outsideDb(side, rate, band[0], band[1]), path).toBeLessThan(-60);
  }
});

test('listening modes, solo, mute and plain change without a click', async ({ page }) => {
  const recording = await upload(
    address(),
    'tone.wav',
    wavFile([sine(1000, -12, 60, rate)], rate, '24'),
  );
  const id = await songOf(address(), 'A tone again', [recording]);
  await page.goto(`${address()}/songs/${id}`);
  await applyRecipe(page, 'Mirrored');
  await wakeAudio(page);
  await page.getByRole('button', { name: 'Play' }).click();
  await page.waitForTimeout(500);
  await expect(page.getByText(/matched/)).toBeVisible({ timeout: 60_000 });
  const press = async (keys: string[]) => {
    for (const key of keys) {
      await page.keyboard.press(key);
      await page.waitForTimeout(220);
    }
  };
  const { left } = await withoutDropouts(async () => {
    const collecting = collect(page, null, frames, 'heard');
    await press(['f', 'f', 'p', 'p']);
    for (const name of ['Difference', 'L', 'Stereo']) {
      await page.getByRole('button', { name, exact: true }).click();
      await page.waitForTimeout(150);
    }
    await page.getByRole('button', { name: 'Mute tone', exact: true }).click();
    await page.waitForTimeout(200);
    await page.getByRole('button', { name: 'Mute tone', exact: true }).click();
    return collecting;
  });
  expect(outsideDb(left, rate, 900, 1100)).toBeLessThan(-60);
});
