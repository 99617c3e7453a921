import { randomUUID } from 'node:crypto';
import { readdirSync } from 'node:fs';
import { request } from 'node:http';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { neutralImage } from '@pannet/core/image/image';
import { mostEdits } from '@pannet/core/song/commands';
import { newPart, type Recording } from '@pannet/core/song/song';
import { newVoice } from '@pannet/core/voices/voice';
import { wavFile } from '@pannet/core/formats/wav-write';
import type { Page } from 'playwright-core';
import { healthDuring } from './health.ts';
import { quantile, said, titled, type Target } from './target.ts';

const mark = 500;
/** A machine that is busy by itself answers late without a fault of ours: so many times what it takes when nothing is done. */
const idleTimes = 100;

/** The bytes of a WAV file of some size; another number, another file. */
function fileOf(megabytes: number, number: number): Uint8Array {
  const samples = new Float32Array(Math.floor((megabytes * 1e6) / 4));
  let state = number + 1;
  for (let n = 0; n < samples.length; n++) {
    state = (state * 1_103_515_245 + 12_345) % 2_147_483_648;
    samples[n] = state / 4_294_967_296 - 0.25;
  }
  return wavFile([samples], 48_000, '32f');
}

/** Twenty windows import large files at once, a batch of megabytes of edits comes, and a page plays. */
export async function importing(
  target: Target,
  windows: number,
  megabytes: number,
  page: Page | null,
): Promise<void> {
  const file = fileOf(megabytes, 0);
  const heavy = await heavySong(target);
  if (page) {
    await page.goto(target.base);
    await page.getByRole('link', { name: 'The Lantern Ferry' }).click();
    await page.getByTestId('part-Hum').waitFor();
    await wait(8000);
    await page.keyboard.press('Space');
    await wait(2000);
  }
  const underruns = () =>
    page?.evaluate(
      () =>
        (
          globalThis as unknown as {
            pannet: { playback: { store: { getState(): { underruns: number } } } };
          }
        ).pannet.playback.store.getState().underruns,
    );
  const before = (await underruns()) ?? 0;
  const idle = quantile((await healthDuring(target.base, () => wait(3000))).times, 0.5);
  const begun = performance.now();
  const failed: string[] = [];
  const { times, failures } = await healthDuring(target.base, async () => {
    const sent = Array.from({ length: windows }, async (_, n) => {
      // One file with another beginning each, so that none is a copy.
      const own = file.slice();
      new DataView(own.buffer).setFloat32(own.length - 4, n / 100, true);
      const kept = await target.upload(own, `window ${n}.wav`);
      const id = await target.newSong(`Window ${n}`);
      const edits = [
        { kind: 'set-rate', rateHz: 48_000 },
        { kind: 'put-recording', recording: kept.body },
      ];
      const answer = await target.post(`/songs/${id}/commands`, {
        baseRevision: 0,
        commands: [{ ...titled('import'), edits }],
      });
      if (kept.status !== 201 || answer.status !== 200)
        failed.push(`${kept.status}/${answer.status}`);
    });
    const applied = heavy();
    await Promise.all([...sent, applied]);
  });
  const dropouts = ((await underruns()) ?? 0) - before;
  said(
    `${windows} × ${megabytes} MB and 5 MB of edits at once`,
    `${failed.length} failed${failed.length ? ` (${failed.join(', ')})` : ''}, ${((performance.now() - begun) / 1000).toFixed(0)} s; health answered in ${quantile(times, 0.5).toFixed(0)} ms (median), ${Math.max(...times).toFixed(0)} ms (slowest; mark ${mark}), ${failures} failures${page ? `; ${dropouts} dropouts in what plays` : ''}`,
  );
  if (failed.length + failures > 0) target.faults.push('an import failed');
  const slowest = Math.max(...times);
  if (slowest > mark && slowest > idleTimes * idle)
    target.faults.push(`health took ${slowest.toFixed(0)} ms, and ${idle.toFixed(0)} when idle`);
  if (dropouts > 0) target.faults.push(`${dropouts} dropouts while others import`);
  if (page) await page.keyboard.press('Space');
}

/** A song, and a batch of nearly five megabytes of edits for it. */
async function heavySong(target: Target): Promise<() => Promise<void>> {
  const recording = (await target.upload(fileOf(0.2, 9), 'short.wav')).body as unknown as Recording;
  const voices = Array.from({ length: 16 }, (_, n) => newVoice(`v${n}`, `voice ${n}`, {}));
  const image = { ...neutralImage(), voices };
  const part = newPart('p', 'P', 'voice', [{ recording: recording.hash, channel: 0 }], {
    image,
    drafts: Object.fromEntries([1, 2, 3, 4, 5, 6, 7, 8, 9].map((n) => [n, image])),
  });
  const id = await target.newSong('Heavy');
  const begin = [
    { kind: 'set-rate', rateHz: 48_000 },
    { kind: 'put-recording', recording },
    ...Array.from({ length: 20 }, (_, n) => ({
      kind: 'add-part',
      index: n,
      part: { ...part, id: `p${n}` },
    })),
  ];
  await target.post(`/songs/${id}/commands`, {
    baseRevision: 0,
    commands: [{ ...titled('begin'), edits: begin }],
  });
  const edit = (n: number) => ({ kind: 'set-image', partId: `p${n % 20}`, image });
  const count = Math.floor(4_900_000 / JSON.stringify(edit(0)).length);
  return async () => {
    const edits = Array.from({ length: count }, (_, n) => edit(n));
    // As many commands as it takes, in one request.
    const commands = [];
    for (let at = 0; at < count; at += mostEdits)
      commands.push({ ...titled('all of it'), edits: edits.slice(at, at + mostEdits) });
    const { status } = await target.post(`/songs/${id}/commands`, { baseRevision: 1, commands });
    if (status !== 200) target.faults.push(`the batch of edits was answered with ${status}`);
  };
}

/** A hundred clients that list, open, edit and listen at once. */
export async function clients(target: Target, count: number, seconds: number): Promise<void> {
  const recording = (await target.upload(fileOf(5, 77), 'shared.wav')).body as unknown as Recording;
  const times: number[] = [];
  let asked = 0;
  let wrong = 0;
  const end = Date.now() + seconds * 1000;
  const timed = async (ask: () => Promise<boolean>) => {
    const begun = performance.now();
    const right = await ask().catch(() => false);
    times.push(performance.now() - begun);
    asked++;
    if (!right) wrong++;
  };
  await Promise.all(
    Array.from({ length: count }, async (_, n) => {
      const id = await target.newSong(`Client ${n}`);
      for (let revision = 0; Date.now() < end; revision++) {
        await timed(async () => (await fetch(`${target.base}/api/songs`)).ok);
        await timed(async () => (await fetch(`${target.base}/api/songs/${id}`)).ok);
        await timed(async () => {
          const { status } = await target.post(`/songs/${id}/commands`, {
            baseRevision: revision,
            commands: [titled(`step ${revision}`)],
          });
          return status === 200;
        });
        const start = (revision * 262_144) % 4_000_000;
        await timed(async () => {
          const answer = await fetch(`${target.base}/api/recordings/ranges`, {
            method: 'POST',
            headers: { 'Content-Type': 'application/json' },
            body: JSON.stringify({
              ranges: [{ hash: recording.hash, start, end: start + 262_144 }],
            }),
          });
          return (await answer.arrayBuffer()).byteLength === 262_144;
        });
      }
    }),
  );
  said(
    `${count} clients for ${seconds} s`,
    `${asked} requests, ${wrong} not answered as they should; ${quantile(times, 0.5).toFixed(0)} ms (median), ${quantile(times, 0.99).toFixed(0)} ms (99 of 100)`,
  );
  if (wrong > 0) target.faults.push('a client was not answered as it should');
}

/** Uploads that break off anywhere, uploads that crawl, readers that stop reading. */
export async function slowAndAborted(target: Target, count: number): Promise<void> {
  const use = () => target.get<{ databaseBytes: number; neededBytes: number }>('/disk');
  const file = fileOf(3, 500);
  const { hash } = (await target.upload(fileOf(20, 501), 'long.wav')).body;
  const before = await use();
  const send = (bytes: number, thenMs: number) =>
    new Promise<void>((resolve) => {
      const sent = request(`${target.base}/api/recordings?fileName=x.wav`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/octet-stream', 'Content-Length': file.length },
      });
      sent.on('error', () => resolve());
      sent.on('response', (response) => {
        response.resume();
        response.on('end', () => {
          sent.destroy();
          resolve();
        });
      });
      sent.write(file.subarray(0, bytes));
      if (thenMs > 0) setTimeout(() => sent.destroy(new Error('gone')), thenMs);
    });
  const { times, failures } = await healthDuring(target.base, async () => {
    for (let n = 0; n < count; n += 20)
      await Promise.all(
        Array.from({ length: 20 }, () =>
          send(Math.floor(Math.random() * file.length), 20 + 200 * Math.random()),
        ),
      );
    const crawling = Array.from({ length: 50 }, () => send(4, 0));
    const stopped = Array.from({ length: 50 }, async () => {
      const reader = await fetch(`${target.base}/api/recordings/${hash}/audio`);
      await reader.body?.getReader().read();
      return reader;
    });
    const kept = await target.upload(fileOf(3, 502), 'meanwhile.wav');
    if (kept.status !== 201) target.faults.push('an upload beside crawling ones failed');
    await Promise.all([...crawling, ...stopped]);
  });
  const after = await use();
  const spooled = readdirSync(join(target.folder, 'uploads')).length;
  said(
    `${count} aborted, 50 crawling uploads, 50 readers`,
    `health in ${Math.max(...times).toFixed(0)} ms at the slowest, ${failures} failures; left behind: ${spooled} files, ${((after.databaseBytes - before.databaseBytes - 3e6) / 1e6).toFixed(1)} MB`,
  );
  if (failures + spooled > 0) target.faults.push('slow or aborted uploads left something');
}

/** A disk that is full: on a small file system in memory, where one can be made. */
export async function fullDisk(target: Target): Promise<void> {
  const id = await target.newSong('On a full disk');
  let sent = 0;
  let status = 201;
  let sentence = '';
  while (status === 201 && sent < 200) {
    const answer = await target.upload(fileOf(10, 900 + sent), `fill ${sent}.wav`);
    status = answer.status;
    sentence = (answer.body as { detail?: string }).detail ?? '';
    sent++;
  }
  let edits = 0;
  for (; edits < 200; edits++) {
    const answer = await target.post(`/songs/${id}/commands`, {
      baseRevision: edits,
      commands: [{ ...titled(`edit ${edits}`), id: randomUUID() }],
    });
    if (answer.status !== 200) break;
  }
  said(
    'a full disk',
    `after ${sent - 1} files of 10 MB: ${status}, “${sentence}”; then ${edits} of 200 edits were kept`,
  );
  if (status !== 507 || edits < 200) target.faults.push('a full disk was not borne');
}
