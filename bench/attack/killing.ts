import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { setTimeout as wait } from 'node:timers/promises';
import { stopServerProcess } from '@pannet/launcher/server-process';
import type { Page } from 'playwright-core';
import pg from 'pg';
import { wavFile } from '@pannet/core/formats/wav-write';
import { said, titled, type Target } from './target.ts';

interface Opened {
  readonly revision: number;
  readonly song: { readonly title: string };
  readonly log: readonly { readonly id: string; readonly name: string }[];
}

type LogPage = Pick<Opened, 'log'> & { readonly earlier: number | null };

/** Kills server, database and single backends in the middle of edits and uploads; then looks whether all that was said to be kept is. */
export async function killing(target: Target, rounds: number, page: Page | null): Promise<void> {
  const song = await target.newSong('Killed');
  const acknowledged: string[] = [];
  const recordings: string[] = [];
  let killed = 0;
  let browserEdits = 0;
  const watched = page ? await editedPage(target, page) : null;
  for (let round = 0; round < rounds; round++) {
    let over = false;
    const writing = (async () => {
      let { revision } = await target.get<Opened>(`/songs/${song}`);
      while (!over) {
        const command = titled(`round ${round}, ${revision}`);
        const answer = await target
          .post<{ revision: number }>(`/songs/${song}/commands`, {
            baseRevision: revision,
            commands: [command],
          })
          .catch(() => null);
        if (answer?.status !== 200) break;
        acknowledged.push(command.id);
        revision = answer.body.revision;
      }
    })().catch(() => {});
    const sending = (async () => {
      for (let n = 0; !over; n++) {
        const samples = Float32Array.from(
          { length: 100_000 },
          (_, k) => Math.sin(k * (0.01 + round / 97 + n / 997)) / 2,
        );
        const kept = await target
          .upload(wavFile([samples], 48_000, '24'), 'take.wav')
          .catch(() => null);
        if (kept?.status === 201) recordings.push(kept.body.hash);
        else break;
      }
    })();
    if (watched) {
      await watched.edit(round);
      browserEdits++;
    }
    await wait(300 + 700 * Math.random());
    const victim = ['server', 'database', 'backend'][round % 3];
    killed++;
    if (victim === 'server') await stopServerProcess(target.server, 'SIGKILL');
    else process.kill(await processOf(target, victim), 'SIGKILL');
    over = true;
    await Promise.all([writing, sending]);
    if (victim === 'server') await target.startServer();
    await answering(target);
  }
  const log = await wholeLog(target, song);
  const lost = acknowledged.filter((id) => !log.includes(id)).length;
  let halves = 0;
  for (const hash of new Set(recordings)) {
    const audio = await fetch(`${target.base}/api/recordings/${hash}/audio`);
    const bytes = new Uint8Array(await audio.arrayBuffer());
    // A recording is named by the SHA-256 of its bytes.
    const found = createHash('sha256').update(bytes).digest('hex');
    if (!audio.ok || bytes.length !== 300_068 || found !== hash) halves++;
  }
  said(
    `kill -9, ${killed} rounds`,
    `${acknowledged.length} commands and ${recordings.length} recordings acknowledged: ${lost} lost, ${halves} halves or with other bytes`,
  );
  if (watched)
    said(
      'kill -9, seen from a browser',
      `${browserEdits} edits on the page, ${await watched.missing()} missing on the server`,
    );
  if (lost + halves > 0) target.faults.push('something acknowledged was lost');
}

/** A page that edits a song of its own all the while. */
async function editedPage(target: Target, page: Page) {
  const id = await target.newSong('In the browser');
  await page.goto(`${target.base}/songs/${id}`);
  const title = page.getByLabel('Song title');
  await title.waitFor();
  let last = '';
  return {
    edit: async (round: number) => {
      last = `browser ${round}`;
      await title.fill(last);
      await title.press('Enter');
    },
    missing: async () => {
      await page.getByText('saved', { exact: true }).waitFor({ timeout: 60_000 });
      const { song, log } = await target.get<Opened>(`/songs/${id}`);
      const titles = new Set(log.map(({ name }) => name));
      const all = Array.from({ length: Number(last.split(' ')[1]) + 1 }, (_, n) => `browser ${n}`);
      const missing = all.filter((each) => !titles.has(`title: ${each}`)).length;
      if (song.title !== last || missing > 0) target.faults.push('an edit of the page was lost');
      return missing;
    },
  };
}

async function processOf(target: Target, victim: string): Promise<number> {
  const file = `${target.folder}/postgres/postmaster.pid`;
  const postmaster = Number(readFileSync(file, 'utf8').split('\n')[0]);
  if (victim === 'database') return postmaster;
  const client = new pg.Client({ connectionString: target.cluster.adminUrl('pannet') });
  await client.connect();
  const { rows } = await client.query<{ pid: number }>(
    `SELECT pid FROM pg_stat_activity WHERE datname = 'pannet' AND pid <> pg_backend_pid()
     ORDER BY state = 'active' DESC, random() LIMIT 1`,
  );
  await client.end();
  return rows[0]?.pid ?? postmaster;
}

async function answering(target: Target): Promise<void> {
  for (let tries = 0; tries < 600; tries++) {
    const health = await fetch(`${target.base}/api/health`).catch(() => null);
    if (health?.ok) return;
    await wait(100);
  }
  throw new Error('The server never came back.');
}

async function wholeLog(target: Target, song: string): Promise<string[]> {
  let { log, earlier } = await target.get<LogPage>(`/songs/${song}`);
  const ids = log.map(({ id }) => id);
  while (earlier !== null) {
    ({ log, earlier } = await target.get<LogPage>(`/songs/${song}/log?upTo=${earlier}`));
    ids.push(...log.map(({ id }) => id));
  }
  return ids;
}
