import { randomUUID } from 'node:crypto';
import { request as httpRequest } from 'node:http';
import { expect, test } from '@playwright/test';
import { wavFile } from '@pannet/core/formats/wav-write';
import type { OpenedSong } from '../packages/web/src/api/songs.ts';
import { freePort } from '@pannet/launcher/postgres';
import { startServerProcess, stopServerProcess } from '@pannet/launcher/server-process';
import pg from 'pg';
import { noise } from '../packages/core/src/measurement/signals.fixture.ts';
import { post, rate, songOf, upload } from './stage.ts';

async function freshDatabase(name: string): Promise<string> {
  const url = process.env.E2E_DATABASE as string;
  const client = new pg.Client({ connectionString: process.env.E2E_ADMIN });
  await client.connect();
  await client.query(`CREATE DATABASE ${name} OWNER ${new URL(url).username}`);
  await client.end();
  return url.replace(/\/demo$/, `/${name}`);
}

const song = async (base: string, id: string) =>
  (await (await fetch(`${base}/api/songs/${id}`)).json()) as OpenedSong;

test('kill -9 in the middle of edits: the browser goes on, catches up by itself, and undo keeps its names', async ({
  page,
}) => {
  const databaseUrl = await freshDatabase('killed_edits');
  const port = await freePort();
  const base = `http://127.0.0.1:${port}`;
  let server = await startServerProcess({ databaseUrl, port, demo: false });
  try {
    const recording = await upload(base, 'line.wav', wavFile([noise(2, rate, 50)], rate, '24'));
    const id = await songOf(base, 'Killed', [recording]);
    await page.goto(`${base}/songs/${id}`);
    const level = page.getByLabel('Level of centre', { exact: true });
    await level.fill('-1');
    await level.press('Enter');
    await expect(page.getByText('saved', { exact: true })).toBeVisible();

    // Edits go on while the server is killed under them.
    for (let n = 2; n <= 12; n++) {
      if (n === 5) void stopServerProcess(server, 'SIGKILL');
      await level.press('ArrowDown');
      // Presses that follow each other at once would be one step.
      await page.waitForTimeout(1100);
    }
    await expect(page.getByText(/server lost · \d+ edits? waiting/)).toBeVisible();
    await page.getByLabel('Width, slider').isVisible();
    await page.getByRole('button', { name: 'Add voice' }).click();
    server = await startServerProcess({ databaseUrl, port, demo: false });
    await expect(page.getByText('saved', { exact: true })).toBeVisible();

    const kept = await song(base, id);
    const [part] = Object.values(kept.song.parts);
    expect(part.image.voices).toHaveLength(2);
    expect(part.image.voices[0].levelDb).toBe(-6.5);
    // Each edit once: one set up, one typed, eleven steps, one voice.
    expect(kept.revision).toBe(14);
    await page.reload();
    await page.getByRole('button', { name: 'Undo line: add a voice' }).click();
    await expect(
      page.getByRole('button', { name: 'Undo centre: level −6.0 → −6.5 dB' }),
    ).toBeVisible();
    await expect(page.getByText('saved', { exact: true })).toBeVisible();
  } finally {
    await stopServerProcess(server);
  }
});

test('kill -9 in the middle of an upload and between commands: all that was acknowledged is there, no half recording', async () => {
  const databaseUrl = await freshDatabase('killed_upload');
  const port = await freePort();
  const base = `http://127.0.0.1:${port}`;
  let server = await startServerProcess({ databaseUrl, port, demo: false });
  try {
    const whole = await upload(base, 'whole.wav', wavFile([noise(2, rate, 51)], rate, '24'));
    const id = await songOf(base, 'Killed', [whole]);

    // A file of 40 s that never arrives whole.
    const bytes = wavFile([noise(40, rate, 52)], rate, '24');
    const half = httpRequest(`${base}/api/recordings?fileName=half.wav`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/octet-stream', 'Content-Length': bytes.length },
    });
    half.on('error', () => {});
    half.write(bytes.subarray(0, bytes.length / 2));

    const acknowledged: string[] = [];
    const sending = (async () => {
      for (let n = 0; ; n++) {
        const commandId = randomUUID();
        const edits = [{ kind: 'set-title', title: `Title ${n}` }];
        const commands = [{ id: commandId, name: `title ${n}`, role: 'do', edits }];
        await post(`${base}/api/songs/${id}/commands`, { baseRevision: n + 1, commands });
        acknowledged.push(commandId);
      }
    })().catch(() => {});
    await expect.poll(() => acknowledged.length).toBeGreaterThan(20);
    await stopServerProcess(server, 'SIGKILL');
    await sending;
    half.destroy();

    server = await startServerProcess({ databaseUrl, port, demo: false });
    const kept = await song(base, id);
    const logged = kept.log.map((command) => command.id);
    // One more may have been logged than was acknowledged, never one fewer.
    expect(logged.slice(1, acknowledged.length + 1)).toEqual(acknowledged);
    expect(logged.length - 1 - acknowledged.length).toBeLessThanOrEqual(1);
    expect(kept.song.title).toBe(`Title ${logged.length - 2}`);
    expect(kept.log.at(-1)?.name).toBe(`title ${logged.length - 2}`);
    const again = await fetch(`${base}/api/recordings/${whole.hash}/audio`);
    expect((await again.arrayBuffer()).byteLength).toBe(2 * rate * 3 + 68);

    const client = new pg.Client({ connectionString: databaseUrl });
    await client.connect();
    const recordings = await client.query('SELECT hash FROM recordings');
    const orphans = await client.query(
      'SELECT 1 FROM recording_chunks c WHERE NOT EXISTS (SELECT 1 FROM recordings r WHERE r.id = c.recording_id)',
    );
    await client.end();
    expect(recordings.rows).toEqual([{ hash: whole.hash }]);
    expect(orphans.rowCount).toBe(0);
  } finally {
    await stopServerProcess(server);
  }
});
