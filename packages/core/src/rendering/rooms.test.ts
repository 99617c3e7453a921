import { describe, expect, test } from '@jest/globals';
import { neutralStage } from '../image/stage.ts';
import { recipes } from '../image/recipes.ts';
import { noise, sine } from '../measurement/signals.fixture.ts';
import { newRoom, roomKinds, type Room } from '../rooms/room.ts';
import { groupOfParts } from '../song/along.ts';
import { apply } from '../song/commands.ts';
import type { Edit } from '../song/edits/edit.ts';
import { partTarget } from '../song/moves-of.ts';
import { removalEdits } from '../song/removal.ts';
import type { Song } from '../song/song.ts';
import { neutralPreparation } from '../takes/preparation.ts';
import { newVoice } from '../voices/voice.ts';
import { compile } from './compile.ts';
import {
  differenceDb,
  memoryPlayer,
  memorySong,
  renderSides,
  runPlayer,
  sharpestBend,
} from './memory.fixture.ts';
import { plainMonitoring } from './monitoring.ts';
import { memoryOf, nodesUnder, planEnd, planReach, roots } from './plan.ts';

const rate = 48_000;
const { abs, log10, max } = Math;

function done(song: Song, ...edits: Edit[]): Song {
  const outcome = apply(song, { id: 'c', name: 'c', role: 'do', edits });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value.song;
}

const withRooms = (song: Song, ...rooms: Room[]) => done(song, { kind: 'set-rooms', rooms });
const feed = {
  partId: 'p0',
  from: 'image',
  voiceId: null,
  levelDb: 0,
  beforeLevel: false,
} as const;
const small = { decayS: 0.3, kind: 'ambience', levelDb: 0 } as const;

const power = (side: Float32Array) => side.reduce((sum, value) => sum + value * value, 0);
const wide = {
  voices: [
    newVoice('v1', 'middle'),
    newVoice('v2', 'left', {
      placement: { kind: 'pan', panPercent: -100 },
      delay: { value: 12, unit: 'ms' },
    }),
  ],
  stage: neutralStage,
};
const memory = memorySong([noise(2, rate, 1), noise(2, rate, 2)], rate, wide);

describe('a room in a song', () => {
  test('changes nothing of the parts, to the bit, and is heard beside them', async () => {
    const song = withRooms(memory.song, newRoom('r', 'Room', { ...small, feeds: [feed] }));
    const to = rate;
    expect(await renderSides(memory, song, roots.part('p0'), to)).toEqual(
      await renderSides(memory, memory.song, roots.part('p0'), to),
    );
    const [all, parts, room] = [
      await renderSides(memory, song, roots.song, to),
      await renderSides(memory, memory.song, roots.song, to),
      await renderSides(memory, song, roots.room('r'), to),
    ];
    expect(power(room.left)).toBeGreaterThan(0.01 * power(parts.left));
    const sum = parts.left.map((value, n) => value + room.left[n]);
    expect(differenceDb(all.left, sum)).toBeLessThan(-130);
  });

  test('what plays is what is written; a stretch is what the whole has there, once it has been rolled in', async () => {
    const song = withRooms(memory.song, newRoom('r', 'Room', { ...small, feeds: [feed] }));
    const plan = compile(song, new Map());
    const whole = await renderSides(memory, song, roots.song, 90_000);
    const { player } = await memoryPlayer(memory, plan);
    player.play();
    const heard = runPlayer(player, 90_000, 700);
    expect(differenceDb(heard.left.subarray(30_000), whole.left.subarray(30_000))).toBeLessThan(
      -120,
    );
    const stretch = await renderSides(memory, song, roots.song, 90_000, 70_011);
    expect(differenceDb(stretch.right, whole.right.subarray(70_011))).toBeLessThan(-115);
    // A jump does not wait for what lies as far back as a room remembers.
    expect(memoryOf(nodesUnder(plan, roots.heard), rate)).toBeGreaterThan(rate / 2);
    expect(planReach(plan, roots.heard).behind).toBeLessThan(rate / 4);
    // The song goes on until it is 60 dB softer.
    expect(planEnd(plan)).toBeGreaterThan(2 * rate + 0.3 * rate);
  });

  test('rooms forget side by side; what goes through a group and then a room forgets both', () => {
    const rooms = [0, 1, 2].map((n) => newRoom(`r${n}`, `Room ${n}`, { ...small, feeds: [feed] }));
    const memoryOfSong = (...all: Room[]) => {
      const plan = compile(withRooms(memory.song, ...all), new Map());
      return memoryOf(nodesUnder(plan, roots.song), rate);
    };
    expect(memoryOfSong(...rooms)).toBe(memoryOfSong(rooms[0]));
  });

  test('a compressor remembers for longer than it is heard: the song does not go on for it', () => {
    const compressor = { thresholdDb: -40, ratio: 4, attackMs: 10, releaseMs: 2000, makeUpDb: 0 };
    const song = done(memory.song, {
      kind: 'set-groups',
      groups: [
        groupOfParts('g', 'G', ['p0'], { preparation: { ...neutralPreparation, compressor } }),
      ],
    });
    const end = planEnd(compile(memory.song, new Map()));
    expect(planEnd(compile(song, new Map()), roots.heard)).toBe(end);
  });

  test.each<[string, Partial<typeof feed> | object, boolean]>([
    ['the image', {}, true],
    ['the flanks alone', { from: 'flanks' }, true],
    ['one voice', { from: 'voice', voiceId: 'v2' }, true],
    ['a voice that there is none of', { from: 'voice', voiceId: 'v9' }, false],
  ])('is fed by %s', async (_, changes, sounds) => {
    const room = newRoom('r', 'Room', { ...small, feeds: [{ ...feed, ...changes }] });
    const { left } = await renderSides(memory, withRooms(memory.song, room), roots.room('r'), rate);
    expect(power(left) > 0).toBe(sounds);
  });

  test('flanks alone leave the middle dry: what it is fed is what the voices that are not the anchor give', async () => {
    const flat = memorySong([noise(2, rate, 1)], rate, { ...wide, voices: [wide.voices[1]] });
    const room = (from: 'image' | 'flanks') =>
      newRoom('r', 'Room', { ...small, feeds: [{ ...feed, from }] });
    const alone = await renderSides(
      flat,
      withRooms(flat.song, room('image')),
      roots.room('r'),
      rate,
    );
    const flanks = await renderSides(
      memory,
      withRooms(memory.song, room('flanks')),
      roots.room('r'),
      rate,
    );
    expect(differenceDb(flanks.left, alone.left)).toBeLessThan(-130);
  });

  test('before the level the room stays when the part is turned down, after it it goes along', async () => {
    const soft = done(memory.song, { kind: 'set-part', partId: 'p0', changes: { levelDb: -20 } });
    for (const from of ['image', 'flanks'] as const)
      for (const beforeLevel of [false, true]) {
        const room = newRoom('r', 'Room', { ...small, feeds: [{ ...feed, from, beforeLevel }] });
        const loud = await renderSides(memory, withRooms(memory.song, room), roots.room('r'), rate);
        const now = await renderSides(memory, withRooms(soft, room), roots.room('r'), rate);
        const downDb = 10 * log10(power(loud.left) / power(now.left));
        expect(downDb).toBeCloseTo(beforeLevel ? 0 : 20, 3);
      }
  });

  test('a muted part feeds none that is written; what is not heard of a part, its room does not hear', async () => {
    const song = withRooms(memory.song, newRoom('r', 'Room', { ...small, feeds: [feed] }));
    const muted = done(song, { kind: 'set-part', partId: 'p0', changes: { muted: true } });
    expect(power((await renderSides(memory, muted, roots.room('r'), rate)).left)).toBe(0);
    const heard = async (listen: object) => {
      const { player } = await memoryPlayer(memory, compile(song, new Map()));
      player.listen({ ...plainMonitoring, ...listen });
      player.play();
      return runPlayer(player, rate, 512);
    };
    const plain = await heard({ solo: ['p1'] });
    const dry = await heard({ solo: ['p1'], roomsHeard: false });
    expect(plain.left).toEqual(dry.left);
    const wet = await heard({});
    expect(power(wet.left)).toBeGreaterThan(power((await heard({ roomsHeard: false })).left));
  });

  test('a feed that goes leaves the next one its own part: solo and plain are of that', async () => {
    const flanks = { ...feed, from: 'flanks' } as const;
    const fedBy = (...feeds: Room['feeds']) =>
      compile(withRooms(memory.song, newRoom('r', 'Room', { ...small, feeds })), new Map());
    const both = fedBy(flanks, { ...flanks, partId: 'p1' });
    const { player } = await memoryPlayer(memory, both);
    player.listen({ ...plainMonitoring, solo: ['p1'] });
    player.play();
    runPlayer(player, 4800, 512);
    player.aim(fedBy({ ...flanks, partId: 'p1' }));
    const wet = runPlayer(player, rate / 2, 512);
    const alone = await memoryPlayer(memory, both);
    alone.player.listen({ ...plainMonitoring, solo: ['p1'], roomsHeard: false });
    alone.player.play();
    runPlayer(alone.player, 4800, 512);
    const dry = runPlayer(alone.player, rate / 2, 512);
    expect(differenceDb(wet.left.subarray(9600), dry.left.subarray(9600))).toBeGreaterThan(-30);
  });

  test('gives back on one side alone where it is told to', async () => {
    for (const side of ['left', 'right'] as const) {
      const room = newRoom('r', 'Room', { ...small, side, feeds: [feed] });
      const given = await renderSides(memory, withRooms(memory.song, room), roots.room('r'), rate);
      expect(power(given[side])).toBeGreaterThan(0);
      expect(power(given[side === 'left' ? 'right' : 'left'])).toBe(0);
    }
  });

  test('pre-delays are kept to the frame, each on its side', async () => {
    const click = new Float32Array(rate);
    click[0] = 0.5;
    const one = memorySong([click], rate);
    const first = async (changes: Partial<Room>) => {
      const room = newRoom('r', 'Room', {
        ...small,
        kind: 'plate',
        feeds: [feed],
        lowCutHz: null,
        highCutHz: null,
        ...changes,
      });
      const { left } = await renderSides(one, withRooms(one.song, room), roots.room('r'), rate);
      return left.findIndex((value) => abs(value) > 1e-9);
    };
    const none = await first({ preDelayLeftMs: 0, preDelayRightMs: 0 });
    expect(await first({ preDelayLeftMs: 100, preDelayRightMs: 149 })).toBe(none + 4800);
  });
});

test('a part is removed with all that names it, in one step, and comes back', () => {
  const song = done(
    withRooms(memory.song, newRoom('r', 'Room', { feeds: [feed, { ...feed, partId: 'p1' }] })),
    {
      kind: 'set-groups',
      groups: [groupOfParts('g', 'G', ['p0'], { levelDb: 0 })],
    },
    {
      kind: 'set-moves',
      moves: [
        {
          id: 'm',
          target: partTarget('p0', 'levelDb'),
          curve: { kind: 'points', points: [{ atS: 0, by: -1, shape: 'step' }] },
        },
      ],
    },
  );
  const refused = apply(song, {
    id: 'c',
    name: 'c',
    role: 'do',
    edits: [{ kind: 'remove-part', partId: 'p0' }],
  });
  expect(refused.ok).toBe(false);
  const outcome = apply(song, { id: 'c', name: 'c', role: 'do', edits: removalEdits(song, 'p0') });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  const { song: gone, inverse } = outcome.value;
  expect([gone.partOrder, gone.moves, gone.groups[0].partIds]).toEqual([['p1'], [], []]);
  expect(gone.rooms[0].feeds.map(({ partId }) => partId)).toEqual(['p1']);
  expect(done(gone, ...inverse)).toEqual(song);
});

test.each([
  ['a part that there is not', { partId: 'px' }, 'A room is fed by parts of the song.'],
  [
    'a voice that is not named',
    { from: 'voice' },
    'A room that is fed by a voice names it, and by anything else none.',
  ],
])('a room fed by %s is refused, with where', (_, changes, sentence) => {
  const room = newRoom('r', 'Room', { feeds: [feed, { ...feed, ...changes } as never] });
  const outcome = apply(memory.song, {
    id: 'c',
    name: 'c',
    role: 'do',
    edits: [{ kind: 'set-rooms', rooms: [room] }],
  });
  expect(outcome.ok).toBe(false);
  if (outcome.ok) return;
  expect(outcome.error.sentence).toBe(sentence);
  expect(outcome.error.place).toContain('rooms[0].feeds[1]');
});

describe('a setting that is changed while it plays leaves no click', () => {
  const tone = sine(1000, -12, 4, rate);
  const one = memorySong([tone], rate, recipes[0].image);
  const usual = newRoom('r', 'Room', { ...small, kind: 'chamber', decayS: 1, feeds: [feed] });

  async function expectNoClick(from: Room, changes: Partial<Room>): Promise<void> {
    const song = (room: Room) => compile(withRooms(one.song, room), new Map());
    const { player } = await memoryPlayer(one, song(from));
    player.play();
    const before = runPlayer(player, rate + 37, 512);
    player.aim(song({ ...from, ...changes }));
    const after = runPlayer(player, rate, 512);
    const steady = max(
      sharpestBend(before.left.subarray(-9600)),
      sharpestBend(after.left.subarray(-9600)),
    );
    const joined = new Float32Array(9600);
    joined.set(before.left.subarray(-4800));
    joined.set(after.left.subarray(0, 4800), 4800);
    expect(20 * log10(sharpestBend(joined) / steady)).toBeLessThan(1);
  }

  const echo = newRoom('r', 'Echo', { kind: 'echo', levelDb: 0, feeds: [feed] });
  test.each<[string, Partial<Room['echo']>]>([
    ['time', { timeMs: 111.5 }],
    ['ratio', { ratioPercent: 149 }],
    ['feedback', { feedbackPercent: 90 }],
    ['no feedback', { feedbackPercent: 0 }],
    ['crossing', { crossPercent: 100 }],
    ['tone', { lowCutHz: 900, highCutHz: 1500 }],
  ])('%s of an echo', async (_, changes) => {
    await expectNoClick(echo, { echo: { ...echo.echo, ...changes } });
  });

  test.each<[string, Partial<Room>]>([
    ['decay', { decayS: 6 }],
    ['a short decay', { decayS: 0.1 }],
    ['size', { sizePercent: 180 }],
    ...roomKinds
      .filter((kind) => kind !== 'chamber')
      .map((kind): [string, Partial<Room>] => [kind, { kind }]),
    ['an echo', { kind: 'echo' }],
    ['pre-delay', { preDelayLeftMs: 90.5, preDelayRightMs: 0 }],
    ['low cut', { lowCutHz: 900 }],
    ['no cuts', { lowCutHz: null, highCutHz: null }],
    ['width', { widthPercent: 0 }],
    ['early', { earlyDb: 12 }],
    ['level', { levelDb: -60 }],
    ['mute', { muted: true }],
    ['side', { side: 'left' }],
    ['lows and highs', { lowPercent: 25, highPercent: 10 }],
    ['no feed', { feeds: [] }],
    ['another feed', { feeds: [{ ...feed, from: 'flanks', levelDb: -6 }] }],
  ])('%s', async (_, changes) => {
    await expectNoClick(usual, changes);
  });
});
