import { execFile } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import { expect, type Locator, type Page } from '@playwright/test';
import { bytesInMemory } from '@pannet/core/formats/byte-source';
import { wavFile } from '@pannet/core/formats/wav-write';
import { readWavLayout } from '@pannet/core/formats/wav-read';
import { readWavChannels } from '@pannet/core/sources/wav-blocks';
import { noise } from '../packages/core/src/measurement/signals.fixture.ts';
import type { Edit } from '@pannet/core/song/edits/edit';
import { newPart, type Recording } from '@pannet/core/song/song';

export const repository = fileURLToPath(new URL('..', import.meta.url));
export const rate = 48_000;

export function address(): string {
  const url = process.env.E2E_URL;
  if (!url) throw new Error('The journeys are started through their configuration.');
  return url;
}

const scratch: string[] = [];
process.once('exit', () => {
  for (const folder of scratch) rmSync(folder, { recursive: true, force: true });
});

/** A folder that is gone when the journeys are over. */
export function scratchFolder(): string {
  const folder = mkdtempSync(join(tmpdir(), 'pannet-journey-'));
  scratch.push(folder);
  return folder;
}

export const run = promisify(execFile);

/** What of the page's open song the journeys use; see packages/web/src/session/open-song.ts. */
interface PageSong {
  playback: {
    play(): Promise<void>;
    stop(): void;
    seek(frame: number): void;
    record(
      what: 'part' | 'heard',
      frames: number,
    ): Promise<{ frame: number; dropouts: number; left: Float32Array; right: Float32Array }>;
    listen(changes: object): void;
    store: { getState(): { frame: number } };
  };
}

export interface Tapped {
  readonly frame: number;
  /** In how many quanta something had not come in time. */
  readonly dropouts: number;
  readonly left: Float32Array;
  readonly right: Float32Array;
}

/** A busy machine is waited out: so often something is listened to again before its dropouts are a failure. */
const mostTries = 8;

/**
 * Does something that is listened to until nothing dropped out of it: a machine that is busy besides leaves holes, which say
 * nothing about the sound. What is judged then is judged as strictly as ever; holes that never end are a failure.
 */
export async function withoutDropouts(
  listen: () => Promise<Tapped>,
  again: () => Promise<void> = () => Promise.resolve(),
): Promise<Tapped> {
  let dropouts = 0;
  for (let n = 0; n < mostTries; n++) {
    if (n > 0) await again();
    const tapped = await listen();
    if (tapped.dropouts === 0) return tapped;
    dropouts += tapped.dropouts;
    await new Promise((resolve) => setTimeout(resolve, 500 * (n + 1)));
  }
  throw new Error(
    `${dropouts} quanta dropped out in ${mostTries} tries: nothing could be heard whole.`,
  );
}

/** Waits while so much of the song plays: of a busy machine's that lasts longer. */
export async function playsOn(page: Page, seconds: number): Promise<void> {
  const frame = () =>
    page.evaluate(
      () => (globalThis as unknown as { pannet: PageSong }).pannet.playback.store.getState().frame,
    );
  const from = await frame();
  await expect.poll(frame).toBeGreaterThan(from + seconds * rate);
}

/** Plays from a frame and collects what the worklet plays, as floats, bit for bit; holes are waited out. */
export function tap(
  page: Page,
  from: number,
  frames: number,
  what: 'part' | 'heard' = 'part',
): Promise<Tapped> {
  return withoutDropouts(() => collect(page, from, frames, what));
}

/** Collects what plays, from a frame or from the next one on; says how much of it dropped out. */
export async function collect(
  page: Page,
  from: number | null,
  frames: number,
  what: 'part' | 'heard' = 'part',
): Promise<Tapped> {
  const collected = page.evaluate(
    async ([start, count, kind]) => {
      const { playback } = (globalThis as unknown as { pannet: PageSong }).pannet;
      const recorded = playback.record(kind as 'part', count as number);
      if (start !== null) {
        playback.seek(start as number);
        await playback.play();
      }
      const { frame, dropouts, left, right } = await recorded;
      if (start !== null) playback.stop();
      const text = (samples: Float32Array) => {
        const bytes = new Uint8Array(samples.buffer);
        let binary = '';
        for (let n = 0; n < bytes.length; n += 8192)
          binary += String.fromCharCode(...bytes.subarray(n, n + 8192));
        return btoa(binary);
      };
      return { frame, dropouts, left: text(left), right: text(right) };
    },
    [from, frames, what],
  );
  const { frame, dropouts, left, right } = await collected;
  const samples = (text: string) => {
    const bytes = Buffer.from(text, 'base64');
    return new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length));
  };
  return { frame, dropouts, left: samples(left), right: samples(right) };
}

/** Opens the audio output once, so that what follows begins at once. */
export async function wakeAudio(page: Page): Promise<void> {
  await page.getByRole('button', { name: 'Play', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Stop', exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Stop', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Play', exact: true })).toBeVisible();
}

/** Drops files on an element as a desktop would. */
export async function dropFiles(
  page: Page,
  selector: string,
  files: readonly { name: string; bytes: Uint8Array }[],
): Promise<void> {
  const transfer = await page.evaluateHandle(
    (dropped) => {
      const data = new DataTransfer();
      for (const { name, base64 } of dropped) {
        const binary = atob(base64);
        const bytes = new Uint8Array(binary.length);
        for (let n = 0; n < bytes.length; n++) bytes[n] = binary.charCodeAt(n);
        data.items.add(new File([bytes], name));
      }
      return data;
    },
    files.map(({ name, bytes }) => ({ name, base64: Buffer.from(bytes).toString('base64') })),
  );
  await page.dispatchEvent(selector, 'dragover', { dataTransfer: transfer });
  await page.dispatchEvent(selector, 'drop', { dataTransfer: transfer });
}

export async function post<Answer>(url: string, body: unknown): Promise<Answer> {
  const response = await fetch(url, {
    method: 'POST',
    body: JSON.stringify(body),
    headers: { 'Content-Type': 'application/json' },
  });
  if (!response.ok) throw new Error(await response.text());
  return (await response.json()) as Answer;
}

export async function upload(
  base: string,
  fileName: string,
  bytes: Uint8Array,
): Promise<Recording> {
  const response = await fetch(`${base}/api/recordings?fileName=${fileName}`, {
    method: 'POST',
    body: bytes as Uint8Array<ArrayBuffer>,
    headers: { 'Content-Type': 'application/octet-stream' },
  });
  if (!response.ok) throw new Error(await response.text());
  return (await response.json()) as Recording;
}

/** A song with one neutral part for each recording, made through the interface that programs use. */
export async function songOf(
  base: string,
  title: string,
  recordings: readonly Recording[],
): Promise<string> {
  const { id } = await post<{ id: string }>(`${base}/api/songs`, { title });
  const edits: Edit[] = [{ kind: 'set-rate', rateHz: recordings[0].rateHz }];
  for (const [index, recording] of recordings.entries()) {
    const part = newPart(`part-${index}`, recording.fileName.replace('.wav', ''), 'other', [
      { recording: recording.hash, channel: 0 },
    ]);
    edits.push({ kind: 'put-recording', recording }, { kind: 'add-part', part, index });
  }
  await post(`${base}/api/songs/${id}/commands`, {
    baseRevision: 0,
    commands: [{ id: randomUUID(), name: 'set up', role: 'do', edits }],
  });
  return id;
}

export async function middleOf(locator: Locator): Promise<{ x: number; y: number }> {
  const box = await locator.boundingBox();
  if (!box) throw new Error('There is nothing to be seen of it.');
  return { x: box.x + box.width / 2, y: box.y + box.height / 2 };
}

/** The bar of a voice in the placement drawing. */
export function voiceBar(page: Page, name: string): Locator {
  return page.getByTestId(`voice-${name}`).locator('rect').nth(1);
}

/** The song that ships with the application, its parts loaded. */
export async function openDemo(page: Page): Promise<void> {
  await page.goto(address());
  await page.getByRole('link', { name: 'The Lantern Ferry' }).click();
  await expect(page.getByTestId('part-Hum')).toBeVisible();
}

/** As the 24-bit writer rounds. */
export function steps24(value: number): number {
  return Math.max(-8_388_608, Math.min(8_388_607, Math.round(value * 8_388_608)));
}

/** All channels of a WAV file. */
export async function channelsOf(path: string): Promise<readonly Float32Array[]> {
  const bytes = new Uint8Array(readFileSync(path));
  const layout = await readWavLayout(bytesInMemory(bytes), path);
  if (!layout.ok) throw new Error(layout.error.sentence);
  return readWavChannels(bytesInMemory(bytes), layout.value);
}

/** A song of 20 s of noise in each part, opened. */
export async function openParts(
  page: Page,
  title: string,
  names: readonly string[],
): Promise<void> {
  const recordings = [];
  for (const [n, name] of names.entries())
    recordings.push(
      await upload(address(), `${name}.wav`, wavFile([noise(20, rate, 70 + n, 0.1)], rate, '24')),
    );
  const id = await songOf(address(), title, recordings);
  await page.goto(`${address()}/songs/${id}`);
  await expect(page.getByTestId(`part-${names[0]}`)).toBeVisible();
}

const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

/** What axe-core (WCAG 2.2 AA) finds serious or critical. */
export async function seriousFaults(page: Page): Promise<string[]> {
  await page.evaluate(axe);
  return page.evaluate(async () => {
    const { axe: tool } = globalThis as unknown as {
      axe: {
        run(options: object): Promise<{
          violations: { id: string; impact: string; nodes: { target: string[] }[] }[];
        }>;
      };
    };
    const { violations } = await tool.run({
      runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'],
    });
    return violations
      .filter(({ impact }) => impact === 'serious' || impact === 'critical')
      .map(({ id, nodes }) => `${id}: ${nodes.map(({ target }) => target.join(' ')).join(', ')}`);
  });
}

/** Gives the selected part a recipe of ours. */
export async function applyRecipe(page: Page, name: string): Promise<void> {
  await page.getByRole('group', { name: 'Panel' }).getByRole('button', { name: 'Recipes' }).click();
  await page.getByRole('button', { name: `Apply ${name}`, exact: true }).click();
}
