import { describe, expect, test } from '@jest/globals';
import type { Recording } from '@pannet/core/song/song';
import pg from 'pg';
import { recordingBytes, RunningServer, titled } from '../running-server.fixture.ts';
import { PurgeService, type DiskUse } from './purge.service.ts';

const server = new RunningServer();
const upload = async (seed: number, frames = 400_000) =>
  (await server.upload(recordingBytes(frames, seed))).body as unknown as Recording;
const purge = (days?: number, hours?: number) => server.app.get(PurgeService).purge(days, hours);
const isThere = async (hash: string) =>
  (await server.call('GET', `/recordings/${hash}/audio`)).status === 200;

async function songWith(recording: Recording): Promise<string> {
  const id = await server.newSong();
  const edits = [
    { kind: 'set-rate', rateHz: 48_000 },
    { kind: 'put-recording', recording },
  ];
  const commands = [{ ...titled('in'), edits }];
  await server.call('POST', `/songs/${id}/commands`, { baseRevision: 0, commands });
  return id;
}

describe('a purge', () => {
  test('takes what no song, log or undo needs, and gives the space back', async () => {
    const [needed, undone, unneeded] = [await upload(0.11), await upload(0.12), await upload(0.13)];
    await songWith(needed);
    const id = await songWith(undone);
    const drop = [{ kind: 'drop-recording', hash: undone.hash }];
    await server.call('POST', `/songs/${id}/commands`, {
      baseRevision: 1,
      commands: [{ ...titled('out'), edits: drop }],
    });
    // Fresh ones may be on their way into a song.
    expect(await purge()).toMatchObject({ recordings: 0 });
    const use = (await server.call('GET', '/disk')).body as unknown as DiskUse;
    expect(use.neededBytes).toBeGreaterThan(3_500_000);
    expect(use.freeBytes).toBeGreaterThan(0);
    const { recordings, bytes, givenBackBytes } = await purge(30, 0);
    expect({ recordings, bytes }).toEqual({ recordings: 1, bytes: 1_200_068 });
    expect(givenBackBytes).toBeGreaterThan(900_000);
    expect(await isThere(needed.hash)).toBe(true);
    expect(await isThere(undone.hash)).toBe(true);
    expect(await isThere(unneeded.hash)).toBe(false);
    // And it can come again.
    expect((await upload(0.13)).hash).toBe(unneeded.hash);
    expect(await isThere(unneeded.hash)).toBe(true);
  });

  test('takes songs that were deleted long ago, with all that only they needed', async () => {
    const recording = await upload(0.21);
    const id = await songWith(recording);
    await server.call('DELETE', `/songs/${id}`);
    expect(await purge(30, 0)).toMatchObject({ songs: 0 });
    expect((await server.call('POST', `/songs/${id}/restore`)).status).toBe(200);
    await server.call('DELETE', `/songs/${id}`);
    expect(await purge(0, 0)).toMatchObject({ songs: 1 });
    expect((await server.call('POST', `/songs/${id}/restore`)).status).toBe(404);
    expect(await isThere(recording.hash)).toBe(false);
  });
});

describe('a recording that is purged by another process', () => {
  const put = (recording: Recording) => [
    { kind: 'set-rate', rateHz: 48_000 },
    { kind: 'put-recording', recording },
  ];

  test('is missed at once by a server that has just found it', async () => {
    const recording = await upload(0.51);
    const id = await server.newSong();
    const send = (song: string, edits: unknown[]) =>
      server.call('POST', `/songs/${song}/commands`, {
        baseRevision: 0,
        commands: [{ ...titled('in'), edits }],
      });
    // The server has found it, and believes in it for a while.
    expect((await send(await server.newSong(), put(recording))).status).toBe(200);
    const other = new pg.Client({ connectionString: server.databaseUrl });
    await other.connect();
    await other.query('DELETE FROM recording_uses WHERE hash = $1', [recording.hash]);
    await other.query('DELETE FROM recordings WHERE hash = $1', [recording.hash]);
    await other.end();
    const answer = await send(id, put(recording));
    expect(answer).toMatchObject({ status: 422, body: { code: 'unknown-recording' } });
    expect(answer.body.detail).toMatch(/purged meanwhile.*Upload it again/);
    // Nothing was written of it.
    expect((await server.call('GET', `/songs/${id}`)).body.revision).toBe(0);
    await upload(0.51);
    expect((await send(id, put(recording))).status).toBe(200);
  });

  test('is kept where a song is just taking it', async () => {
    const recording = await upload(0.52);
    const taking = new pg.Client({ connectionString: server.databaseUrl });
    await taking.connect();
    await taking.query('BEGIN');
    await taking.query('SELECT 1 FROM recordings WHERE hash = $1 FOR KEY SHARE', [recording.hash]);
    expect(await server.app.get(PurgeService).purgeRecordings(0)).toMatchObject({ count: 0 });
    await taking.query('ROLLBACK');
    await taking.end();
    expect(await server.app.get(PurgeService).purgeRecordings(0)).toMatchObject({ count: 1 });
  });
});

test('gives back also what something under way still holds: it waits for that', async () => {
  const { hash } = await upload(0.41);
  const holding = new pg.Client({ connectionString: server.databaseUrl });
  await holding.connect();
  await holding.query('BEGIN');
  await holding.query('INSERT INTO secrets (name, value) VALUES ($1, $2)', ['under way', '']);
  const purged = purge(30, 0);
  await new Promise((next) => setTimeout(next, 1500));
  await holding.query('ROLLBACK');
  await holding.end();
  expect((await purged).givenBackBytes).toBeGreaterThan(900_000);
  expect(await isThere(hash)).toBe(false);
});

test('neither what broke off nor what came twice leaves anything on the disk', async () => {
  const bytes = recordingBytes(400_000, 0.31);
  await server.upload(bytes);
  const sizeOf = async () =>
    ((await server.call('GET', '/disk')).body as unknown as DiskUse).databaseBytes;
  const before = await sizeOf();
  for (let n = 0; n < 4; n++) {
    expect((await server.upload(bytes)).status).toBe(201);
    expect((await server.upload(bytes.subarray(0, 900_000))).status).toBe(422);
  }
  expect(await sizeOf()).toBeLessThan(before + 300_000);
});
