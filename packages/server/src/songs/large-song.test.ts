import { describe, expect, test } from '@jest/globals';
import { maxSongLetters, songLetters } from '@pannet/core/song/size';
import { newPart, type Recording } from '@pannet/core/song/song';
import { levelMove } from '../../../core/src/song/steps.fixture.ts';
import { recordingBytes, RunningServer, titled } from '../running-server.fixture.ts';
import type { OpenedSong } from './songs.service.ts';
import { StoredSongs } from './stored-songs.ts';

const server = new RunningServer();
const parts = 40;

const send = (id: string, baseRevision: number, edits: unknown[]) =>
  server.call('POST', `/songs/${id}/commands`, {
    baseRevision,
    commands: [{ ...titled('step'), edits }],
  });

async function emptyParts(): Promise<{ id: string; revision: number }> {
  const recording = (await server.upload(recordingBytes(500, 0.7))).body as unknown as Recording;
  const id = await server.newSong('Large');
  const takes = [{ recording: recording.hash, channel: 0 }];
  const answer = await send(id, 0, [
    { kind: 'set-rate', rateHz: 48_000 },
    { kind: 'put-recording', recording },
    ...Array.from({ length: parts }, (_, n) => ({
      kind: 'add-part',
      index: n,
      part: newPart(`p${n}`, `P${n}`, 'keys', takes),
    })),
  ]);
  expect(answer.status).toBe(200);
  return { id, revision: 1 };
}

/** A song that is as large as one may be, as far as this goes. */
async function largestSong(): Promise<{ id: string; revision: number; refused: string }> {
  const { id, revision: begun } = await emptyParts();
  let revision = begun;
  let refused = '';
  for (let n = 0; n < parts && !refused; n++) {
    const answer = await send(id, revision, [{ kind: 'change-moves', put: [levelMove(n, 2600)] }]);
    if (answer.status === 200) revision++;
    else refused = String(answer.body.detail);
  }
  return { id, revision, refused };
}

describe('a large song', () => {
  test('has a limit that is said, and is opened by many at once while others are answered', async () => {
    const { id, revision, refused } = await largestSong();
    expect(refused).toMatch(/makes the song too large.*4\.0 MB is the limit/);
    const document = (await server.call('GET', `/songs/${id}`)).body as unknown as OpenedSong;
    expect(songLetters(document.song)).toBeGreaterThan(0.9 * maxSongLetters);

    // As a server that has just started: nothing is known of it.
    server.app.get(StoredSongs).forget(id);
    expect((await send(id, revision, [{ kind: 'set-title', title: 'Once more' }])).status).toBe(
      200,
    );
    server.app.get(StoredSongs).forget(id);
    const idle = process.memoryUsage().rss;
    const lengths = await Promise.all(
      Array.from({ length: 200 }, async () => {
        const answer = await fetch(`${server.base}/songs/${id}`);
        let length = 0;
        for await (const piece of answer.body as unknown as AsyncIterable<Uint8Array>)
          length += piece.length;
        return length;
      }),
    );
    expect(new Set(lengths).size).toBe(1);
    expect(lengths[0]).toBeGreaterThan(3_500_000);
    // One answer for all: what they cost in memory is far less than 200 answers (800 MB and their logs).
    expect(process.memoryUsage().rss - idle).toBeLessThan(400e6);
    const again = (await server.call('GET', `/songs/${id}`)).body as unknown as OpenedSong;
    expect(again.song).toEqual({ ...document.song, title: 'Once more' });
    expect(again.revision).toBe(revision + 1);
    expect(again.log.at(-1)?.name).toMatch(/step/);
  });

  test('takes no edit that would be read for long in one go', async () => {
    const { id, revision } = await emptyParts();
    const moves = Array.from({ length: parts }, (_, n) => levelMove(n, 1000));
    const answer = await send(id, revision, [{ kind: 'set-moves', moves }]);
    expect(answer).toMatchObject({ status: 413, body: { code: 'too-large' } });
    expect(answer.body.detail).toMatch(/edit of more than 1 MB/);
  });
});
