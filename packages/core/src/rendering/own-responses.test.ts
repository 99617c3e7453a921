import { expect, test } from '@jest/globals';
import { noise, sine } from '../measurement/signals.fixture.ts';
import { prepareResponse } from '../rooms/made-response.ts';
import { responseNeeds, type RoomResponse } from '../rooms/response.ts';
import { newRoom, type Room } from '../rooms/room.ts';
import { apply } from '../song/commands.ts';
import type { Song } from '../song/song.ts';
import { compile } from './compile.ts';
import {
  differenceDb,
  memoryPlayer,
  memorySong,
  runPlayer,
  sharpestBend,
} from './memory.fixture.ts';
import { renderRoot } from './offline.ts';
import { PlanReceiver, PlanSender } from './plan-change.ts';
import { planEnd, roots } from './plan.ts';

const rate = 48_000;
/** The second part is the response of the room: half a second of noise that falls by 60 dB in 0.4 s. */
const response = noise(0.5, rate, 7).map((value, n) => value * 10 ** ((-3 * n) / (0.4 * rate)));
const memory = memorySong([noise(2, rate, 1), response], rate);
const [, { recording }] = Object.values(memory.song.parts).flatMap(({ takes }) => takes);
const feeds: Room['feeds'] = [
  { partId: 'p0', from: 'image', voiceId: null, levelDb: 0, beforeLevel: false },
];
const own = { recording, together: false, decayPercent: 100 };
const ringing = (changes: Partial<Room> = {}) =>
  newRoom('r', 'Room', { kind: 'own', levelDb: 0, feeds, own, ...changes });

function withRoom(room: Room, song: Song = memory.song) {
  return apply(song, {
    id: 'c',
    name: 'c',
    role: 'do',
    edits: [{ kind: 'set-rooms', rooms: [room] }],
  });
}

function songOf(room: Room, song?: Song): Song {
  const outcome = withRoom(room, song);
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value.song;
}

async function ready(song: Song): Promise<ReadonlyMap<string, RoomResponse>> {
  const needs = responseNeeds(song.rooms, song.recordings);
  return new Map(
    await Promise.all(
      needs.map(
        async (need) => [need.key, await prepareResponse(need, rate, memory.load)] as const,
      ),
    ),
  );
}

test('what plays by it is what is written, in any blocks, and the song ends when it does', async () => {
  const song = songOf(ringing());
  const plan = compile(song, new Map(), null, await ready(song));
  const to = 90_000;
  const written = new Float32Array(to);
  for await (const { frame, right } of renderRoot(plan, roots.room('r'), memory.load, 0, to))
    written.set(right, frame);
  expect(written.some((value) => value !== 0)).toBe(true);
  const whole = new Float32Array(to);
  for await (const { frame, right } of renderRoot(plan, roots.song, memory.load, 0, to))
    whole.set(right, frame);
  for (const block of [128, 700]) {
    const { player } = await memoryPlayer(memory, plan);
    player.play();
    const heard = runPlayer(player, to, block);
    expect(differenceDb(heard.right.subarray(30_000), whole.subarray(30_000))).toBeLessThan(-120);
  }
  // As long as it was recorded.
  expect(planEnd(plan)).toBeGreaterThan(2.49 * rate);
});

test('it travels once, by its key, and is whole on the other side', async () => {
  const song = songOf(ringing());
  const library = await ready(song);
  const [one] = library.values();
  const [sender, receiver] = [new PlanSender(), new PlanReceiver()];
  const plan = compile(song, new Map(), null, library);
  const change = sender.change(plan);
  expect(change.assets.map(({ value }) => value)).toContain(one);
  expect(JSON.stringify(change.set).length).toBeLessThan(50_000);
  const nodes = receiver.take(structuredClone(change)).nodes;
  const arrived = nodes.find((node) => node.id === `${roots.room('r')}/ringing`);
  expect((arrived as unknown as { room: { response: RoomResponse } }).room.response).toEqual(one);
  const louder = compile(songOf(ringing({ levelDb: -6 })), new Map(), plan, library);
  const next = sender.change(louder);
  expect(next.assets).toEqual([]);
  expect(next.set.length).toBeGreaterThan(0);
  receiver.take(next);
});

test('of big ones that are not heard any more few are kept on the other side', async () => {
  const sender = new PlanSender();
  const forgotten: string[] = [];
  const plan = compile(songOf(ringing()), new Map(), null, await ready(songOf(ringing())));
  const node = plan.nodes.find(({ kind }) => kind === 'room');
  if (node?.kind !== 'room' || !node.room.response) throw new Error('No room rings.');
  const big = { parts: 1, re: new Float32Array(2e6), im: new Float32Array(2e6) };
  for (let n = 0; n < 8; n++) {
    const other = { ...node.room.response, key: `k${n}`, levels: [[big, big] as const] };
    const nodes = [{ ...node, room: { ...node.room, response: other } }];
    forgotten.push(...sender.change({ ...plan, nodes }).forget);
  }
  // Three of 16 MB are 48 MB.
  expect(forgotten).toEqual(['k0', 'k1', 'k2', 'k3'].map((key) => `response/${key}`));
});

test('until it is ready nothing comes back; then it comes in, and another in its place, without a click', async () => {
  const tone = memorySong([sine(1000, -12, 4, rate), response], rate);
  const song = songOf(ringing(), tone.song);
  const shorter = songOf(ringing({ own: { ...own, decayPercent: 40 } }), tone.song);
  const together = songOf(
    ringing({ own: { ...own, decayPercent: 40, together: true } }),
    tone.song,
  );
  const libraries = [await ready(song), await ready(shorter)];
  const waiting = compile(song, new Map());
  const { player } = await memoryPlayer(tone, waiting);
  player.play();
  const dry = runPlayer(player, rate / 2 + 37, 512).left.subarray(-4800);
  let plan = waiting;
  for (const [next, library] of [
    [song, libraries[0]],
    [shorter, new Map<string, RoomResponse>()],
    [shorter, libraries[1]],
    [together, libraries[1]],
  ] as const) {
    plan = compile(next, new Map(), plan, library);
    player.aim(plan);
    const heard = runPlayer(player, rate / 2, 512);
    // It is heard from then on: the response is as loud as the part.
    expect(differenceDb(heard.left.subarray(-4800), dry.subarray(0, 4800))).toBeGreaterThan(-20);
    // A room that comes in rings up within its own time: a tone bends no more for it than it does anyway.
    const steady = sharpestBend(heard.left.subarray(-9600));
    expect(20 * Math.log10(sharpestBend(heard.left.subarray(0, 9600)) / steady)).toBeLessThan(3);
  }
  // While the shorter one was worked out the longer one rang on.
  const between = compile(shorter, new Map(), compile(song, new Map(), null, libraries[0]));
  const node = between.nodes.find(({ kind }) => kind === 'room');
  expect(node?.kind === 'room' && node.room.response).toBe([...libraries[0].values()][0]);
});

test.each([
  ['e'.repeat(64), 'A room rings by a recording that the song does not have.'],
  [recording, "A room's response is 12 s long at most; “"],
])('what cannot be a response is refused, with where', (hash, sentence) => {
  const long = { ...memory.song.recordings[recording], frames: 13 * rate };
  const outcome = withRoom(ringing({ own: { ...own, recording: hash } }), {
    ...memory.song,
    recordings: { ...memory.song.recordings, [recording]: long },
  });
  expect(outcome.ok).toBe(false);
  if (outcome.ok) return;
  expect(outcome.error.sentence).toContain(sentence);
  expect(outcome.error.place).toContain('rooms[0].own.recording');
});

test('a recording that a room rings by is not dropped', () => {
  const outcome = apply(songOf(ringing()), {
    id: 'c',
    name: 'c',
    role: 'do',
    edits: [{ kind: 'drop-recording', hash: recording }],
  });
  expect(outcome.ok || outcome.error.sentence).toContain('“Room” rings by this recording');
});
