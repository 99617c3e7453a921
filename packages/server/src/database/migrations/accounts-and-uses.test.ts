import { expect, test } from '@jest/globals';
import type { Recording } from '@pannet/core/song/song';
import { DataSource } from 'typeorm';
import { recordingBytes, RunningServer, titled } from '../../running-server.fixture.ts';
import { AccountsAndUses1764300000000 } from './accounts-and-uses.ts';

const server = new RunningServer();

test('what a song needs is read off documents and logs that are there, undone steps included', async () => {
  const recordings: Recording[] = [];
  for (const seed of [0.41, 0.42, 0.43])
    recordings.push((await server.upload(recordingBytes(500, seed))).body as unknown as Recording);
  const [kept, undone, other] = recordings;
  const id = await server.newSong('From before');
  const put = (recording: Recording) => ({ kind: 'put-recording', recording });
  const commands = [
    { ...titled('in'), edits: [{ kind: 'set-rate', rateHz: 48_000 }, put(kept), put(undone)] },
    { ...titled('out'), edits: [{ kind: 'drop-recording', hash: undone.hash }] },
  ];
  const answer = await server.call('POST', `/songs/${id}/commands`, { baseRevision: 0, commands });
  expect(answer.status).toBe(200);
  const data = server.app.get(DataSource);
  const runner = data.createQueryRunner();
  try {
    const migration = new AccountsAndUses1764300000000();
    await migration.down(runner);
    await migration.up(runner);
  } finally {
    await runner.release();
  }
  const uses = (await data.query('SELECT song_id, hash FROM recording_uses ORDER BY hash')) as {
    song_id: string;
    hash: string;
  }[];
  const expected = [kept.hash, undone.hash].sort();
  expect(uses).toEqual(expected.map((hash) => ({ song_id: id, hash })));
  expect(uses.some(({ hash }) => hash === other.hash)).toBe(false);
  // And it opens, with its steps and its number of parts.
  const opened = await server.call('GET', `/songs/${id}`);
  expect((opened.body.log as unknown[]).length).toBe(2);
  const listed = (await server.call('GET', '/songs')).body as unknown as { parts: number }[];
  expect(listed.map(({ parts }) => parts)).toEqual([0]);
});
