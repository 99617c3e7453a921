import { beforeEach, expect, test } from '@jest/globals';
import { roomResponse } from '@pannet/core/rooms/made-response';
import { responseNeed, type RoomResponse } from '@pannet/core/rooms/response';
import { newRoom, type Room } from '@pannet/core/rooms/room';
import { apply } from '@pannet/core/song/commands';
import type { Song } from '@pannet/core/song/song';
import { FakeWorker } from '../testing/fake-worker.ts';
import { twoParts } from '../testing/song.fixture.ts';
import { Responses, type ResponseJob } from './responses.ts';

const [hash] = Object.keys(twoParts().recordings);

function ringing(own: Partial<Room['own']>): Song {
  const room = newRoom('r', 'R', { kind: 'own' });
  const outcome = apply(twoParts(), {
    id: 'c',
    name: 'c',
    role: 'do',
    edits: [
      { kind: 'set-rooms', rooms: [{ ...room, own: { ...room.own, recording: hash, ...own } }] },
    ],
  });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value.song;
}

const keyOf = (song: Song) => responseNeed(song.rooms[0], song.recordings)?.key ?? '';
const worker = () => FakeWorker.of('responses.worker.ts');
const asked = () => (worker().posted[0] as ResponseJob).need;
const settled = async () => {
  for (let n = 0; n < 8; n++) await Promise.resolve();
};

async function answered(response?: RoomResponse): Promise<void> {
  const { key } = asked();
  worker().answer({
    kind: 'answer',
    answer: response ?? roomResponse(key, [Float32Array.of(1)], 48_000),
  });
  await settled();
}

let told = 0;
let responses: Responses;

beforeEach(() => {
  FakeWorker.install();
  told = 0;
  responses = new Responses(() => told++);
});

test('what a room rings by is made ready once, and whoever plays is told', async () => {
  const song = ringing({});
  responses.want(song);
  responses.want(song);
  expect(FakeWorker.all).toHaveLength(1);
  expect(responses.get(keyOf(song))).toBeUndefined();
  await answered();
  expect(responses.get(keyOf(song))?.key).toBe(keyOf(song));
  expect(told).toBe(1);
  responses.want(song);
  expect(FakeWorker.all).toHaveLength(1);
});

test('while it is turned, only what it is turned to by then is made', async () => {
  for (const decayPercent of [90, 80, 70, 60]) responses.want(ringing({ decayPercent }));
  expect(FakeWorker.all).toHaveLength(1);
  expect(asked().decayPercent).toBe(90);
  await answered();
  expect(FakeWorker.all).toHaveLength(2);
  expect(asked().decayPercent).toBe(60);
  await answered();
  expect(FakeWorker.all).toHaveLength(2);
});

test('what nothing rings by any more is forgotten over a bound, what is used never is', async () => {
  const big = { parts: 1, re: new Float32Array(3e6), im: new Float32Array(3e6) };
  const songs = [100, 90, 80, 70].map((decayPercent) => ringing({ decayPercent }));
  for (const song of songs) {
    responses.want(song);
    const key = keyOf(song);
    await answered({ key, frames: 1, decayS: 1, levels: [[big, big]] });
  }
  // Each has 24 MB, and 32 are kept besides the one in use.
  expect(songs.map((song) => responses.get(keyOf(song)) !== undefined)).toEqual([
    false,
    false,
    true,
    true,
  ]);
});

test('what fails says why, is not asked for again by itself, and is when it is told to', async () => {
  const song = ringing({});
  responses.want(song);
  worker().answer({ kind: 'failure', sentence: 'A recording of this song is not on the server.' });
  await settled();
  expect(responses.store.getState()[keyOf(song)]).toEqual({
    failed: 'A recording of this song is not on the server.',
  });
  expect(told).toBe(0);
  responses.want(song);
  expect(FakeWorker.all).toHaveLength(1);
  responses.again(keyOf(song));
  expect(FakeWorker.all).toHaveLength(2);
  await answered();
  expect(responses.get(keyOf(song))).toBeDefined();
});

test('a song that is closed makes no more', async () => {
  responses.want(ringing({}));
  responses.close();
  await settled();
  expect(worker().terminated).toBe(true);
  expect([told, FakeWorker.all.length]).toEqual([0, 1]);
});
