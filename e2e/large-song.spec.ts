import { once } from 'node:events';
import { request as httpRequest, type IncomingMessage } from 'node:http';
import { expect, test, type Page } from '@playwright/test';
import { wholeChromium } from '@pannet/launcher/debian';
import { wavFile } from '@pannet/core/formats/wav-write';
import { neutralGroupStage } from '@pannet/core/image/group-stage';
import { neutralStage } from '@pannet/core/image/stage';
import { curveDescription } from '@pannet/core/moves/curve';
import { feedOf } from '@pannet/core/rooms/feeds';
import { startingRoom } from '@pannet/core/rooms/starting';
import { groupOfParts } from '@pannet/core/song/along';
import type { Edit } from '@pannet/core/song/edits/edit';
import { partTarget, voiceTarget } from '@pannet/core/song/moves-of';
import { newPart, type Recording } from '@pannet/core/song/song';
import { neutralPreparation } from '@pannet/core/takes/preparation';
import { newVoice } from '@pannet/core/voices/voice';
import { noise } from '../packages/core/src/measurement/signals.fixture.ts';
import { launchOptions } from './launch-options.ts';
import { address, collect, rate, songOf } from './stage.ts';

// A page is told what memory it takes by the whole browser alone.
test.use({ launchOptions: launchOptions(wholeChromium) });

const parts = 24;
const seconds = 300;

/** Uploads without holding more than the file itself, as a browser does. */
async function uploadStreamed(
  base: string,
  fileName: string,
  bytes: Uint8Array,
): Promise<Recording> {
  const sent = httpRequest(`${base}/api/recordings?fileName=${fileName}`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/octet-stream', 'Content-Length': bytes.length },
  });
  sent.end(bytes);
  const [response] = (await once(sent, 'response')) as [IncomingMessage];
  let text = '';
  for await (const piece of response) text += String(piece);
  if (response.statusCode !== 201) throw new Error(text);
  return JSON.parse(text) as Recording;
}

const serverMemory = async (base: string) =>
  ((await (await fetch(`${base}/api/health`)).json()) as { memoryBytes: number }).memoryBytes;

/** From the press to the first frame that sounds there; said, not judged: the machine may be busy. */
function seekMs(page: Page, frame: number): Promise<number> {
  return page.evaluate(
    (target) =>
      new Promise<number>((resolve) => {
        const { playback } = (
          globalThis as unknown as {
            pannet: {
              playback: {
                play(): Promise<void>;
                seek(frame: number): void;
                onSeen(seer: (seen: { state: string; frame: number }) => void): () => void;
              };
            };
          }
        ).pannet;
        void playback.play().then(() => {
          const begun = performance.now();
          const end = playback.onSeen(({ state, frame: at }) => {
            if (state !== 'playing' || at <= target || at > target + 48_000) return;
            end();
            // Less what has sounded since.
            resolve(performance.now() - begun - ((at - target) / 48_000) * 1000);
          });
          playback.seek(target);
        });
      }),
    frame,
  );
}

/** What the page draws and spends while it plays, over some seconds; said, not judged: the machine may be busy. */
async function drawing(page: Page, watchedSeconds: number): Promise<string> {
  const devtools = await page.context().newCDPSession(page);
  await devtools.send('Performance.enable');
  const spent = async () => {
    const { metrics } = await devtools.send('Performance.getMetrics');
    return metrics.find(({ name }) => name === 'TaskDuration')?.value ?? 0;
  };
  const dropouts = () =>
    page.evaluate(
      () =>
        (
          globalThis as unknown as {
            pannet: { playback: { store: { getState(): { underruns: number } } } };
          }
        ).pannet.playback.store.getState().underruns,
    );
  const [spentBefore, missedBefore] = [await spent(), await dropouts()];
  const frames = await page.evaluate(
    (length) =>
      new Promise<number[]>((resolve) => {
        const times: number[] = [];
        const begun = performance.now();
        const next = (now: number) => {
          times.push(now);
          if (now - begun < length * 1000) requestAnimationFrame(next);
          else resolve(times);
        };
        requestAnimationFrame(next);
      }),
    watchedSeconds,
  );
  const gaps = frames.slice(1).map((time, n) => time - frames[n]);
  const rateOf = (gaps.length / (frames[frames.length - 1] - frames[0])) * 1000;
  const late = gaps.filter((gap) => gap > 25).length;
  const share = (await spent()) - spentBefore;
  const missed = (await dropouts()) - missedBefore;
  await devtools.detach();
  return `${rateOf.toFixed(1)} frames a second, ${late} of ${gaps.length} late; the page's own thread ${((100 * share) / watchedSeconds).toFixed(0)} % busy; ${missed} dropouts`;
}

/** Four groups with compressor and stage, three rooms, two echoes, three voices to each part, and moves on half of the parts. */
function allOfIt(): Edit[] {
  const ids = Array.from({ length: parts }, (_, n) => `part-${n}`);
  const side = (panPercent: number, value: number) => ({
    placement: { kind: 'pan', panPercent } as const,
    delay: { value, unit: 'ms' } as const,
  });
  const image = {
    voices: [
      newVoice('v1', 'middle'),
      newVoice('v2', 'left', side(-100, 12)),
      newVoice('v3', 'right', side(100, 19)),
    ],
    stage: neutralStage,
  };
  const preparation = {
    ...neutralPreparation,
    lowCutHz: 60,
    compressor: { thresholdDb: -24, ratio: 3, attackMs: 20, releaseMs: 150, makeUpDb: 2 },
  };
  const stage = { ...neutralGroupStage, widthPercent: 90, lowHz: 120 };
  return [
    ...ids.map((partId): Edit => ({ kind: 'set-image', partId, image })),
    {
      kind: 'set-groups',
      groups: [0, 1, 2, 3].map((n) =>
        groupOfParts(`g${n}`, `G${n}`, ids.slice(6 * n, 6 * n + 6), { preparation, stage }),
      ),
    },
    {
      kind: 'set-rooms',
      rooms: (['hall', 'chamber', 'spring', 'echo', 'echo'] as const).map((kind, n) => ({
        ...startingRoom(`r${n}`, kind, []),
        feeds: ids.slice(4 * n, 4 * n + 5).map((partId) => feedOf(partId)),
      })),
    },
    {
      kind: 'set-moves',
      moves: ids.slice(0, parts / 2).map((id, n) => ({
        id: `m${n}`,
        target: n % 2 === 0 ? partTarget(id, 'levelDb') : voiceTarget(id, 'v2', 'panPercent'),
        curve: curveDescription.parse({ kind: 'cycle', depthPercent: 60 }),
      })),
    },
  ];
}

test('24 parts of five minutes: the server stays flat while they come in, the browser small while they play', async ({
  page,
}) => {
  test.setTimeout(240_000);
  const base = address();
  const bytes = wavFile([noise(seconds, rate, 60, 0.02)], rate, '16');
  const recordings: Recording[] = [];
  const before = await serverMemory(base);
  let highest = before;
  let total = 0;
  for (let n = 0; n < parts; n++) {
    // Another file each time, for less work than another noise.
    bytes[5000] = n;
    recordings.push(await uploadStreamed(base, `stem-${n}.wav`, bytes));
    highest = Math.max(highest, await serverMemory(base));
    total += bytes.length;
  }
  expect(total).toBeGreaterThan(500e6);
  // What was uploaded is many times this; buffers of the streams and the collector's slack are not.
  expect(highest - before).toBeLessThan(150e6);

  const id = await songOf(base, 'Large', recordings);
  await page.goto(`${base}/songs/${id}`);
  await expect(page.getByTestId('part-stem-23')).toBeAttached();
  await page.getByRole('button', { name: 'Play' }).click();
  await expect(page.getByRole('button', { name: 'Stop', exact: true })).toBeVisible();
  const clock = page.getByTitle('Place in the song');
  await expect(clock).not.toHaveText('0:00.0');
  await expect(clock).not.toHaveText('loading');
  // From one end of the song to the other: all blocks change.
  for (const share of [0.9, 0.2, 0.6]) {
    const { left } = await collect(page, Math.round(share * seconds * rate), rate, 'heard');
    expect(Math.max(...left.subarray(rate / 2, rate / 2 + 1000))).toBeGreaterThan(0.005);
  }
  const waits: number[] = [];
  for (const share of [0.1, 0.8, 0.3, 0.95, 0.5])
    waits.push(await seekMs(page, Math.round(share * seconds * rate)));
  console.log(`a seek sounds after ${waits.map((wait) => wait.toFixed(0)).join(', ')} ms`);
  await expect(page.getByTestId('verdict')).not.toContainText('Measuring', { timeout: 60_000 });
  await expect(page.getByRole('progressbar')).toBeHidden({ timeout: 60_000 });
  console.log(`while it plays: ${await drawing(page, 6)}`);
  // And with four groups, three rooms, two echoes, and moves on half of the parts.
  const done = await page.evaluate(
    (edits) =>
      (
        globalThis as unknown as { pannet: { do(name: string, edits: unknown): boolean } }
      ).pannet.do('all of it', edits),
    allOfIt(),
  );
  expect(done).toBe(true);
  await page.waitForTimeout(2000);
  console.log(`with groups, rooms, echoes and moves: ${await drawing(page, 10)}`);
  const later: number[] = [];
  for (const share of [0.15, 0.75, 0.4])
    later.push(await seekMs(page, Math.round(share * seconds * rate)));
  console.log(`a seek sounds after ${later.map((wait) => wait.toFixed(0)).join(', ')} ms then`);
  const pcm = await page.evaluate(async () => {
    const { measureUserAgentSpecificMemory: measure } = performance as unknown as {
      measureUserAgentSpecificMemory(): Promise<{ bytes: number }>;
    };
    return (await measure.call(performance)).bytes;
  });
  // All memory of the page and its workers, code and interface included.
  console.log(
    `memory of the page: ${(pcm / 1e6).toFixed(0)} MB; of the server: ${(before / 1e6).toFixed(0)} → ${(highest / 1e6).toFixed(0)} MB`,
  );
  expect(pcm).toBeLessThan(400e6);
});

/** So many frames a second while something is done with each of them; said, not judged: the machine may be busy. */
function framesWhile(page: Page, what: 'scrolled' | 'zoomed', frames = 180): Promise<number> {
  return page.evaluate(
    ([doing, count]) =>
      new Promise<number>((resolve) => {
        const rows = document.querySelector('.song-rows');
        if (!rows) throw new Error('There are no rows.');
        const { left, top, width } = rows.getBoundingClientRect();
        const there = { clientX: left + width / 2, clientY: top + 80 };
        const begun = performance.now();
        let n = 0;
        const next = () => {
          if (n === count) {
            resolve((count * 1000) / (performance.now() - begun));
            return;
          }
          const back = n++ % 120 >= 60;
          if (doing === 'scrolled') rows.scrollTop += back ? -12 : 12;
          else
            rows.dispatchEvent(
              new WheelEvent('wheel', {
                ...there,
                deltaY: back ? 40 : -40,
                altKey: true,
                bubbles: true,
                cancelable: true,
              }),
            );
          requestAnimationFrame(next);
        };
        requestAnimationFrame(next);
      }),
    [what, frames] as const,
  );
}

test('64 parts of ten minutes are scrolled, and zoomed from all of the song to a few seconds and back', async ({
  page,
}) => {
  test.setTimeout(120_000);
  const base = address();
  const swelling = noise(600, rate, 60, 0.3).map((value, n) => value * Math.sin(n / 90_000));
  const recording = await uploadStreamed(base, 'long.wav', wavFile([swelling], rate, '16'));
  const id = await songOf(base, 'Long', [recording]);
  await page.goto(`${base}/songs/${id}`);
  await expect(page.getByTestId('part-long')).toBeVisible();
  const takes = [{ recording: recording.hash, channel: 0 }];
  const edits = Array.from({ length: 63 }, (_, n): Edit => ({
    kind: 'add-part',
    part: newPart(`q${n}`, `Q ${n}`, 'other', takes),
    index: n + 1,
  }));
  await page.evaluate(
    (all) =>
      (
        globalThis as unknown as { pannet: { do(name: string, edits: unknown): boolean } }
      ).pannet.do('63 more', all),
    edits,
  );
  await page.getByRole('link', { name: 'Song', exact: true }).click();
  await expect(page.getByTestId('lane-Q 3').locator('canvas')).toBeVisible();
  // What is not seen is not drawn.
  await expect(page.getByTestId('lane-Q 60').locator('canvas')).toHaveCount(0);
  await page.waitForTimeout(3000);
  const marks = () => page.getByTestId('ruler').getAttribute('data-marks');
  const whole = await marks();
  const scrolled = await framesWhile(page, 'scrolled');
  const zoomed = await framesWhile(page, 'zoomed');
  console.log(
    `64 parts: ${scrolled.toFixed(0)} frames a second scrolled, ${zoomed.toFixed(0)} zoomed`,
  );
  // 180 steps leave it sixty nearer: as far as that goes.
  expect(await marks()).not.toBe(whole);

  // Half of them move, by forty points each, drawn under them.
  const points = Array.from({ length: 40 }, (_, n) => ({ atS: 15 * n, by: n % 2 ? -6 : 0 }));
  const moves = Array.from({ length: 32 }, (_, n) => ({
    id: `m${n}`,
    target: partTarget(`q${2 * n}`, 'levelDb'),
    curve: curveDescription.parse({ kind: 'points', points }),
  }));
  await page.evaluate(
    (kept) =>
      (
        globalThis as unknown as { pannet: { do(name: string, edits: unknown): boolean } }
      ).pannet.do('32 moves', [{ kind: 'set-moves', moves: kept }]),
    moves,
  );
  await page.getByRole('button', { name: 'The whole song' }).click();
  const first = page.getByRole('group', { name: 'Level of Q 0 along the song', exact: true });
  const marked = first.getByRole('button', { name: /^Point of Q 0/ });
  // What is not seen has none.
  await expect(marked).toHaveCount(0);
  await first.scrollIntoViewIfNeeded();
  await expect(marked).toHaveCount(40);
  const moving = await framesWhile(page, 'zoomed');
  console.log(`with moves under half of them ${moving.toFixed(0)} zoomed`);
  await expect.poll(() => marked.count()).toBeLessThan(40);
});
