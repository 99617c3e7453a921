import { join } from 'node:path';
import { expect, test, type Locator, type Page } from '@playwright/test';
import midi from '@tonejs/midi';
import { demoTape, score } from '@pannet/core/demo/score';
import { wavFile } from '@pannet/core/formats/wav-write';
import { measureStereo } from '@pannet/core/measurement/report';
import { plucked } from '@pannet/core/performing/instruments';
import { seededRandom } from '@pannet/core/signal/random';
import {
  address,
  channelsOf,
  dropFiles,
  rate,
  scratchFolder,
  seriousFaults,
  steps24,
  tap,
  wakeAudio,
} from './stage.ts';

const seconds = 16;

/** The same line played once more: each note a little early or late, all of it later, perhaps with the plug turned over. */
function performance(number: number, changes: { lateMs?: number; inverted?: boolean } = {}) {
  const random = seededRandom(number);
  const late = new Map<number, number>();
  const notes = score.plucked.map((note) => {
    const known = late.get(note.startSeconds) ?? 0.028 * random() - 0.014;
    late.set(note.startSeconds, known);
    return {
      ...note,
      startSeconds: note.startSeconds + 0.5 + known + (changes.lateMs ?? 0) / 1000,
      strength: note.strength * (0.85 + 0.3 * random()),
    };
  });
  const sign = changes.inverted ? -0.5 : 0.5;
  const line = plucked(notes, 30 + number, demoTape).subarray(0, seconds * rate);
  return {
    name: `harp take ${number}.wav`,
    bytes: wavFile([Float32Array.from(line, (value) => sign * value)], rate, '24'),
  };
}

const files = [
  performance(1),
  performance(2, { lateMs: 180 }),
  performance(3, { lateMs: 90 }),
  performance(4),
];

const timing = (page: Page, name: string) => page.getByTestId(`timing-${name}`);

test('four files to one wall: lined up, placed in turn, exported, in six presses', async ({
  page,
}) => {
  test.setTimeout(180_000);
  let presses = 0;
  const press = async (control: Locator) => {
    presses++;
    await control.click({ timeout: 60_000 });
  };
  await page.goto(address());
  await dropFiles(page, '.songs-page', files);
  await press(page.getByRole('button', { name: 'Bring in' }));
  await press(page.getByRole('link', { name: 'Takes' }));
  await press(page.getByRole('button', { name: 'Trim and line up' }));
  await expect(page.getByRole('button', { name: 'Undo harp: trimmed and lined up' })).toBeVisible({
    timeout: 60_000,
  });
  for (const name of ['harp take 2', 'harp take 3', 'harp take 4'])
    await expect(timing(page, name)).toHaveText(/^[+−]?[0-3]\.\d ms ±[0-4]\.\d · \d+\/\d+ sure/, {
      timeout: 60_000,
    });
  await wakeAudio(page);
  const heard = await tap(page, 4 * rate, 2 * rate);
  await press(page.getByRole('button', { name: 'Export', exact: true }));
  await press(page.getByRole('button', { name: 'Render 1 stem' }));
  const [saved] = await Promise.all([
    page.waitForEvent('download'),
    press(page.getByRole('button', { name: 'Save the file' })),
  ]);
  expect(presses).toBeLessThanOrEqual(6);
  const path = join(scratchFolder(), 'wall.wav');
  await saved.saveAs(path);
  const [left, right] = await channelsOf(path);
  const wrong = [...heard.left.keys()].filter(
    (n) =>
      steps24(heard.left[n]) !== steps24(left[heard.frame + n]) ||
      steps24(heard.right[n]) !== steps24(right[heard.frame + n]),
  );
  expect(wrong).toHaveLength(0);
  // Two pairs of performances: wide, and unlike each other, so that nothing cancels.
  const { report } = measureStereo(left, right, rate);
  expect(report.sideToMidDb).toBeGreaterThan(-3);
  expect(report.fold.lossDb).toBeGreaterThan(-4);
  expect(report.fold.lossDb).toBeLessThan(-2);
  expect(Math.abs(report.leadMs ?? 0)).toBeLessThan(3);
  expect(await seriousFaults(page)).toEqual([]);
});

test('a take whose plug was turned over is found and mended; tighter, nudged, evened out, back again', async ({
  page,
}) => {
  test.setTimeout(180_000);
  await page.goto(address());
  await dropFiles(page, '.songs-page', [performance(1)]);
  await page.getByRole('link', { name: 'Takes' }).click();
  // Another one of the same performance, turned over: it is dropped on the part.
  const copy = { ...performance(1, { lateMs: 60, inverted: true }), name: 'turned.wav' };
  await dropFiles(page, '[data-testid="part-harp take 1"]', [copy]);
  await expect(timing(page, 'turned')).toContainText('+60.0 ms ±0.0', { timeout: 60_000 });
  await expect(timing(page, 'turned')).toContainText('other polarity');
  await expect(page.getByTestId('take-turned')).toContainText('A copy of the reference');
  await page.getByRole('button', { name: 'Line up', exact: true }).click();
  await expect(timing(page, 'turned')).toContainText(/^0\.0 ms ±0\.0/, { timeout: 60_000 });
  await expect(timing(page, 'turned')).not.toContainText('other polarity');
  await page.keyboard.press('Control+z');
  await expect(timing(page, 'turned')).toContainText('+60.0 ms');

  // A real second performance is not a copy; how tightly is heard while it is turned, and is one step.
  await dropFiles(page, '.takes-place', [performance(2, { lateMs: 120 })]);
  await expect(timing(page, 'harp take 2')).toContainText(/^\+1[12]\d\.\d ms/, { timeout: 60_000 });
  await page.getByRole('button', { name: 'Line up', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Undo harp take 1: lined up' })).toBeVisible({
    timeout: 60_000,
  });
  const tightly = page.getByLabel('How tightly');
  await tightly.fill('100');
  await tightly.press('Enter');
  await expect(page.getByRole('button', { name: /lined up to 100 %/ })).toBeVisible({
    timeout: 60_000,
  });
  await expect(page.getByTestId('take-harp take 2')).toContainText('Lined up so tightly');
  const wave = page.getByRole('group', { name: 'Wave of harp take 2' });
  await wave.press('Shift+ArrowRight');
  await expect(timing(page, 'harp take 2')).toContainText(/^\+(9|10)\.\d ms/);
  await page.keyboard.press('Control+z');
  await expect(timing(page, 'harp take 2')).toContainText(/^[+−]?0\.\d ms/);
  // Typed as a share of a note: at 100 beats a minute a hundred-and-twenty-eighth is 18.75 ms.
  const tempo = page.getByRole('textbox', { name: 'Tempo' });
  await tempo.fill('100');
  await tempo.press('Enter');
  const by = page.getByRole('textbox', { name: 'Move harp take 2 by' });
  await by.fill('-1/128');
  await by.press('Enter');
  await expect(page.getByRole('button', { name: /harp take 2: −18\.75 ms/ })).toBeVisible();
  await by.fill('soon');
  await by.press('Enter');
  await expect(page.getByText('A shift is typed as')).toBeVisible();
  await page.keyboard.press('Escape');
  await by.blur();
  await page.keyboard.press('Control+z');
  // What there is to cut, and whether one threshold suits both.
  await page.getByRole('button', { name: 'Spectra' }).click();
  const charts = page.getByRole('region', { name: 'Spectra and loudness of the takes' });
  await expect(charts).toContainText(/[+−]?\d+\.\d dB below 160 Hz/, { timeout: 30_000 });
  await expect(charts).toContainText(/over it \d+ % and \d+ % of the time/);
  await charts.getByLabel('Take over the reference').selectOption('turned');
  await page.getByRole('button', { name: 'Spectra' }).click();

  await page
    .getByLabel('Place the takes')
    .selectOption({ label: 'Left, right, one in the middle (3)' });
  await expect(page.getByTestId('take-take 1')).toContainText('heard as middle');
  await expect(page.getByTestId('take-harp take 2')).toContainText('heard as right');
  // Beside two that only look like it, to be compared blind.
  await page.getByLabel('Place the takes').selectOption('As drafts beside false doubles');
  await expect(page.getByText(/Draft 1 is this image; 2 a late copy/)).toBeVisible();
  await page.keyboard.press('Control+z');
  // Removed, its voice plays what stands in its place; undone, all is there again.
  await page.getByRole('button', { name: 'What can be done with turned' }).click();
  await page.getByRole('button', { name: 'Remove' }).click();
  await expect(page.getByTestId('take-turned')).toBeHidden();
  await page.keyboard.press('Control+z');
  await expect(page.getByTestId('take-turned')).toContainText('heard as left');
  // Another file in its place: its name, its voice and its level stay.
  await page.getByLabel('Another file for turned').setInputFiles({
    ...performance(4, { lateMs: 40 }),
    mimeType: 'audio/wav',
    buffer: Buffer.from(performance(4, { lateMs: 40 }).bytes),
  });
  await expect(timing(page, 'turned')).toContainText(
    /^\+[345]\d\.\d ms ±\d\.\d · \d+\/\d+ sure · like/,
    {
      timeout: 60_000,
    },
  );
  await expect(page.getByTestId('take-turned')).toContainText('heard as left');
  await expect(page.getByText('saved', { exact: true })).toBeVisible();
});

test('gaps between phrases are cut and heard as silence, the recording untouched', async ({
  page,
}) => {
  const quiet = 0.0006;
  const phrases = new Float32Array(6 * rate);
  const random = seededRandom(5);
  for (let n = 0; n < phrases.length; n++) {
    const sounds = n % (2 * rate) < rate;
    phrases[n] = (sounds ? 0.2 : quiet) * (2 * random() - 1);
  }
  await page.goto(address());
  await dropFiles(page, '.songs-page', [
    { name: 'spoken.wav', bytes: wavFile([phrases], rate, '24') },
  ]);
  await page.getByRole('link', { name: 'Takes' }).click();
  await wakeAudio(page);
  const gap = async () => {
    const { left, frame } = await tap(page, 1.5 * rate, 0.3 * rate);
    expect(frame).toBeLessThan(1.7 * rate);
    return left.reduce((most, value) => Math.max(most, Math.abs(value)), 0);
  };
  expect(await gap()).toBeGreaterThan(quiet / 2);
  await page.getByRole('button', { name: 'Cut silence' }).click();
  await expect(page.getByRole('button', { name: 'Undo spoken: silence cut' })).toBeVisible({
    timeout: 30_000,
  });
  expect(await gap()).toBe(0);

  // Clips are nudged, typed, dragged and split, each as one step.
  const second = page.getByRole('button', { name: /^Clip 2 of take 1: / });
  await expect(second).toHaveAttribute('aria-label', /: 0:01\.985, 0:01\.26\d long$/);
  await second.press('ArrowRight');
  await expect(second).toHaveAttribute('aria-label', /: 0:01\.986/);
  const place = page.getByLabel('Place of clip 2 of take 1');
  await place.fill('1.6');
  await place.press('Enter');
  await expect(second).toHaveAttribute('aria-label', /: 0:01\.600/);
  expect(await gap()).toBeGreaterThan(0.1);
  const box = await second.boundingBox();
  if (!box) throw new Error('There is no clip.');
  await page.mouse.move(box.x + box.width / 2, box.y + 10);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width / 2 + 60, box.y + 10, { steps: 6 });
  await page.mouse.up();
  await expect(second).not.toHaveAttribute('aria-label', /: 0:01\.600/);
  await expect(page.getByRole('button', { name: /^Undo spoken, take 1: clip 2 \+/ })).toBeVisible();
  const wave = await page.getByRole('slider', { name: 'Place in the song' }).boundingBox();
  if (!wave) throw new Error('There is no wave.');
  await page.mouse.click(wave.x + 0.1 * wave.width, wave.y + 10);
  await page.getByRole('button', { name: 'Split take 1 at the playhead' }).click();
  await expect(page.getByRole('button', { name: 'Undo spoken, take 1: split' })).toBeVisible();
  await expect(page.getByRole('button', { name: /^Clip 4 of take 1: / })).toBeVisible();
  for (let n = 0; n < 5; n++) await page.keyboard.press('Control+z');
  expect(await gap()).toBeGreaterThan(quiet / 2);
  const [hash] = await page.evaluate(() =>
    Object.keys(
      (
        globalThis as unknown as {
          pannet: { session: { store: { getState(): { song: { recordings: object } } } } };
        }
      ).pannet.session.store.getState().song.recordings,
    ),
  );
  const kept = await fetch(`${address()}/api/recordings/${hash}/audio`);
  expect(Buffer.from(await kept.arrayBuffer()).equals(wavFile([phrases], rate, '24'))).toBe(true);
});

test('notes become two performances, wide: played on a simulated instrument, exported and measured', async ({
  page,
}) => {
  test.setTimeout(120_000);
  const file = new midi.Midi();
  file.header.setTempo(96);
  const track = file.addTrack();
  track.name = 'harp';
  for (let n = 0; n < 32; n++)
    track.addNote({ midi: 52 + [0, 7, 12, 16][n % 4], ticks: n * 240, durationTicks: 230 });
  await page.goto(address());
  await dropFiles(page, '.songs-page', [{ name: 'licks.mid', bytes: file.toArray() }]);
  const dialog = page.getByRole('dialog');
  const shift = dialog.getByRole('textbox', { name: 'Shifted by' });
  await shift.fill('8');
  await shift.press('Enter');
  await expect(dialog.getByRole('note')).toContainText('reaches the grid of sixteenths');
  await shift.fill('1');
  await shift.press('Enter');
  await expect(dialog.getByRole('note')).toHaveCount(0);
  await dialog.getByRole('button', { name: 'Make 2 takes' }).click();
  await page.getByRole('link', { name: 'Takes' }).click();
  await expect(timing(page, 'licks 2')).toHaveText(/ ms ±\d\.\d · \d+\/\d+ sure/, {
    timeout: 60_000,
  });
  await expect(
    page.getByRole('button', { name: 'Undo import licks 1.wav, licks 2.wav' }),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Export', exact: true }).click();
  await page.getByRole('button', { name: 'Render 1 stem' }).click();
  const [saved] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Save the file' }).click(),
  ]);
  const path = join(scratchFolder(), 'licks.wav');
  await saved.saveAs(path);
  const [left, right] = await channelsOf(path);
  // 32 quavers at 96 beats a minute and the last one's tail.
  expect(left.length / rate).toBeGreaterThan(11.8);
  expect(left.length / rate).toBeLessThan(12.6);
  const { report } = measureStereo(left, right, rate);
  expect(report.stillMono).toBe(false);
  expect(report.sideToMidDb).toBeGreaterThan(-6);
  expect(report.fold.lossDb).toBeGreaterThan(-4.5);
  expect(report.fold.lossDb).toBeLessThan(-1.5);

  // Held by hand at the playhead, and moved there to the sample; let go it lies as before.
  await page.keyboard.press('Escape');
  const undo = (what: string) => page.getByRole('button', { name: `Undo licks: licks 2 ${what}` });
  await page.getByRole('button', { name: 'Hold licks 2 at the playhead' }).click();
  const anchor = page.getByRole('button', { name: 'Anchor of licks 2 at 0:00.000' });
  await anchor.press('Shift+ArrowRight');
  await expect(undo('held +10.00 ms')).toBeVisible();
  const moved = page.getByRole('button', { name: 'Anchor of licks 2 at 0:00.010' });
  await moved.press('Alt+ArrowRight');
  await expect(undo('held +0.02 ms')).toBeVisible();
  const before = await timing(page, 'licks 2').textContent();
  await moved.press('Delete');
  await expect(undo('let go')).toBeVisible();
  await expect(timing(page, 'licks 2')).not.toHaveText(before ?? '');

  // What holds no notes is said, and nothing comes of it.
  await dropFiles(page, '.frame', [{ name: 'broken.mid', bytes: new Uint8Array([1, 2, 3]) }]);
  await expect(dialog.getByRole('alert')).toContainText('is no Standard MIDI File');
  await dialog.getByRole('button', { name: 'Leave it out' }).click();
  await expect(dialog).toHaveCount(0);
});

/** One syllable: a breath of noise, then a voice through the resonances of a vowel. */
function syllable(
  into: Float32Array,
  at: number,
  long: number,
  pitchHz: number,
  vowel: number,
  random: () => number,
) {
  const formants = [
    [700, 1100, 2500],
    [300, 2200, 2900],
    [450, 900, 2600],
    [550, 1800, 2500],
  ][vowel % 4];
  const states = formants.map(() => [0, 0]);
  const from = Math.round(at * rate);
  const count = Math.round(long * rate);
  const breath = Math.round(0.03 * rate);
  let phase = 0;
  for (let n = 0; n < count && from + n < into.length; n++) {
    const hz = pitchHz * (1 + 0.06 * Math.sin(n / 4000) - (0.12 * n) / count);
    phase += hz / rate;
    let source = 0;
    if (n < breath) source = 0.5 * (2 * random() - 1);
    else if (phase >= 1) source = 6;
    phase %= 1;
    const fade = Math.min(1, n / 400, (count - n) / 1500);
    let sum = 0;
    for (const [k, hzOf] of formants.entries()) {
      // A resonance of two poles, 80 Hz wide.
      const r = Math.exp((-Math.PI * 80) / rate);
      const [a, b] = states[k];
      const next = source + 2 * r * Math.cos((2 * Math.PI * hzOf) / rate) * a - r * r * b;
      states[k] = [next, a];
      sum += (0.006 * next) / (k + 1);
    }
    into[from + n] += fade * sum;
  }
}

/** A sentence or two, said once more: each syllable a little early or late, another pitch, room noise in the pauses. */
function spoken(number: number, lateMs: number) {
  const text = seededRandom(77);
  const random = seededRandom(number);
  const samples = Float32Array.from({ length: 12 * rate }, () => 0.0006 * (2 * random() - 1));
  let at = 0.9;
  for (let phrase = 0; phrase < 4; phrase++) {
    for (let n = 0; n < 6; n++) {
      const long = 0.13 + 0.13 * text();
      const vowel = Math.floor(4 * text());
      const stray = 0.026 * random() - 0.013;
      syllable(samples, at + stray + lateMs / 1000, long, 105 + 25 * random(), vowel, random);
      at += long + 0.03 + 0.06 * text();
    }
    at += 0.7;
  }
  return { name: `voice take ${number}.wav`, bytes: wavFile([samples], rate, '24') };
}

test('three spoken takes are trimmed and lined up by one press: their pauses are silence, their syllables together', async ({
  page,
}) => {
  test.setTimeout(180_000);
  await page.goto(address());
  await dropFiles(page, '.songs-page', [spoken(1, 0), spoken(2, 210), spoken(3, 340)]);
  await page.getByRole('button', { name: 'Bring in' }).click({ timeout: 60_000 });
  await page.getByRole('link', { name: 'Takes' }).click();
  await page.getByRole('button', { name: 'Trim and line up' }).click({ timeout: 60_000 });
  const done = page.getByRole('button', { name: 'Undo voice: trimmed and lined up' });
  await expect(done).toBeVisible({ timeout: 60_000 });
  for (const name of ['voice take 2', 'voice take 3'])
    await expect(timing(page, name)).toHaveText(/^[+−]?[0-3]\.\d ms ±[0-5]\.\d · \d+\/\d+ sure/, {
      timeout: 60_000,
    });
  await page.getByRole('button', { name: 'Export', exact: true }).click();
  await page.getByRole('button', { name: 'Render 1 stem' }).click();
  const [saved] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Save the file' }).click({ timeout: 60_000 }),
  ]);
  const path = join(scratchFolder(), 'spoken.wav');
  await saved.saveAs(path);
  const [left, right] = await channelsOf(path);
  // In the pauses between the phrases nothing is left of the room's noise: true silence, on both sides.
  const frame = 0.02 * rate;
  let silent = 0;
  let loud = 0;
  for (let from = 0; from + frame <= left.length; from += frame) {
    const peak = Math.max(
      ...left.subarray(from, from + frame).map(Math.abs),
      ...right.subarray(from, from + frame).map(Math.abs),
    );
    if (peak === 0) silent++;
    if (peak > 0.02) loud++;
  }
  expect(silent * 0.02).toBeGreaterThan(2);
  expect(loud * 0.02).toBeGreaterThan(4);
  // One undo takes all of it back.
  await page.keyboard.press('Escape');
  await done.click();
  await expect(
    page.getByRole('button', { name: 'Redo voice: trimmed and lined up' }),
  ).toBeVisible();
});
