import { describe, expect, test } from '@jest/globals';
import { noise } from '../measurement/signals.fixture.ts';
import { compile } from '../rendering/compile.ts';
import {
  differenceDb,
  memoryPlayer,
  memorySong,
  renderSides,
  runPlayer,
} from '../rendering/memory.fixture.ts';
import { plainMonitoring } from '../rendering/monitoring.ts';
import { memoryOf, nodesUnder, roots } from '../rendering/plan.ts';
import { groupOfParts } from '../song/along.ts';
import { apply } from '../song/commands.ts';
import type { Edit } from '../song/edits/edit.ts';
import type { Song } from '../song/song.ts';
import { inFlow, mayGoInto, partsOfRoom, roomsBefore, withoutRoom } from './between.ts';
import { feedOf } from './feeds.ts';
import { newRoom, type Room } from './room.ts';

const rate = 48_000;
const memory = memorySong([noise(2, rate, 1, 0.3), noise(2, rate, 2, 0.3)], rate);

function done(song: Song, ...edits: readonly Edit[]) {
  return apply(song, { id: 'c', name: 'c', role: 'do', edits });
}

function songWith(...edits: readonly Edit[]): Song {
  const outcome = done(memory.song, ...edits);
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value.song;
}

const flat = { lowCutHz: null, highCutHz: null, levelDb: 0 };
const echo = (changes: Partial<Room> = {}) => {
  const room = newRoom('e', 'Echo', { kind: 'echo', ...flat, ...changes });
  const tone = { lowCutHz: null, highCutHz: null, feedbackPercent: 0 };
  return { ...room, preDelayLeftMs: 0, preDelayRightMs: 0, echo: { ...room.echo, ...tone } };
};
const plate = (changes: Partial<Room> = {}) =>
  newRoom('p', 'Plate', { kind: 'plate', decayS: 0.3, ...flat, ...changes });
const from = (roomId: string, levelDb = 0) => [{ roomId, levelDb }];

describe('rooms that go into each other', () => {
  test('an echo in a room: what the room gives back of the part alone comes once more, so much later', async () => {
    const dry = songWith({ kind: 'set-rooms', rooms: [plate({ feeds: [feedOf('p0')] })] });
    const wet = songWith({
      kind: 'set-rooms',
      rooms: [plate({ fromRooms: from('e', -6) }), echo({ feeds: [feedOf('p0')] })],
    });
    const [alone, behind] = [
      await renderSides(memory, dry, roots.room('p'), rate),
      await renderSides(memory, wet, roots.room('p'), 2 * rate),
    ];
    const late = Math.round(0.35 * rate);
    const echoed = behind.left.subarray(late, late + rate);
    const expected = alone.left.map((value) => value * 10 ** (-6 / 20));
    expect(differenceDb(echoed, expected)).toBeLessThan(-110);
  });

  test('are sorted by their flow, and told by what they need', () => {
    const rooms = [
      plate({ fromRooms: from('e') }),
      echo({ feeds: [feedOf('p1')], fromRooms: from('h') }),
      newRoom('h', 'Hall', { feeds: [feedOf('p0')] }),
    ];
    expect(inFlow(rooms).map(({ id }) => id)).toEqual(['h', 'e', 'p']);
    expect(roomsBefore(rooms, rooms[0]).map(({ id }) => id)).toEqual(['p', 'e', 'h']);
    expect(partsOfRoom(rooms, rooms[0])).toEqual(['p1', 'p0']);
    expect(mayGoInto(rooms, rooms[2])).toEqual([]);
    expect(mayGoInto(rooms, rooms[0]).map(({ id }) => id)).toEqual(['e', 'h']);
    expect(withoutRoom(rooms, 'h').map(({ fromRooms }) => fromRooms.length)).toEqual([1, 0]);
  });

  test.each<[string, readonly Room[], RegExp]>([
    ['itself', [echo({ fromRooms: from('e') })], /“Echo” would feed itself/],
    [
      'each other',
      [echo({ fromRooms: from('p') }), plate({ fromRooms: from('e') })],
      /would feed itself by way of other rooms/,
    ],
    ['one that is none', [echo({ fromRooms: from('x') })], /by other rooms of the song/],
    ['a group that is none', [echo({ groupId: 'x' })], /into a group of the song/],
  ])('feed not %s', (_, rooms, sentence) => {
    const outcome = done(memory.song, { kind: 'set-rooms', rooms: [...rooms] });
    expect(outcome.ok ? '' : outcome.error.sentence).toMatch(sentence);
  });
});

describe('a return into a group', () => {
  const into = (groupId: string | null, levelDb = -9) =>
    songWith(
      { kind: 'set-groups', groups: [groupOfParts('g', 'G', ['p0'], { levelDb })] },
      { kind: 'set-rooms', rooms: [plate({ groupId, feeds: [feedOf('p1')] })] },
    );

  test('is done with what is done to the group, and no more goes to the song by itself', async () => {
    const [within, beside] = [into('g'), into(null)];
    const side = async (song: Song, root: string) =>
      (await renderSides(memory, song, root, rate)).left;
    const [group, room, all] = [
      await side(beside, roots.group('g')),
      await side(beside, roots.room('p')),
      await side(within, roots.group('g')),
    ];
    const level = 10 ** (-9 / 20);
    expect(
      differenceDb(
        all,
        group.map((value, n) => value + level * room[n]),
      ),
    ).toBeLessThan(-120);
    const p1 = await side(memory.song, roots.part('p1'));
    expect(
      differenceDb(
        await side(within, roots.song),
        all.map((value, n) => value + p1[n]),
      ),
    ).toBeLessThan(-120);
  });

  test('is heard as it is exported, and left out where rooms are', async () => {
    const song = into('g');
    const plan = compile(song, new Map());
    const whole = await renderSides(memory, song, roots.song, 60_000);
    const { player } = await memoryPlayer(memory, plan);
    player.play();
    const heard = runPlayer(player, 60_000, 512);
    const behind = Math.max(2400, memoryOf(nodesUnder(plan, roots.song), rate));
    expect(behind).toBeLessThan(50_000);
    expect(differenceDb(heard.left.subarray(behind), whole.left.subarray(behind))).toBeLessThan(
      -115,
    );
    const dry = songWith({
      kind: 'set-groups',
      groups: [groupOfParts('g', 'G', ['p0'], { levelDb: -9 })],
    });
    const bare = await renderSides(memory, dry, roots.song, 60_000);
    const other = await memoryPlayer(memory, plan);
    other.player.listen({ ...plainMonitoring, roomsHeard: false });
    other.player.play();
    const without = runPlayer(other.player, 60_000, 512);
    expect(differenceDb(without.left.subarray(4000), bare.left.subarray(4000))).toBeLessThan(-115);
  });
});
