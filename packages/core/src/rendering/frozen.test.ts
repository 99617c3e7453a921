import { describe, expect, test } from '@jest/globals';
import { usualAmp } from '../amps/amp.ts';
import { neutralStage } from '../image/stage.ts';
import { noise } from '../measurement/signals.fixture.ts';
import { curveDescription } from '../moves/curve.ts';
import { feedOf } from '../rooms/feeds.ts';
import { newRoom, type Room } from '../rooms/room.ts';
import { groupOfParts } from '../song/along.ts';
import { apply } from '../song/commands.ts';
import { duplicateEdits } from '../song/duplicate.ts';
import type { Edit } from '../song/edits/edit.ts';
import { isFrozen, partKey, roomKey, thawed } from '../song/frozen.ts';
import { feedTarget, levelTarget, partTarget } from '../song/moves-of.ts';
import { removalEdits } from '../song/removal.ts';
import { readSong } from '../song/saved-song.ts';
import type { Recording, Song } from '../song/song.ts';
import { blockFrames, type BlockLoader } from '../sources/blocks.ts';
import { newVoice } from '../voices/voice.ts';
import { compile } from './compile.ts';
import { differenceDb, memoryRecording, memorySong } from './memory.fixture.ts';
import { renderRoot } from './offline.ts';
import { nodesUnder, planEnd, planSources, roots } from './plan.ts';
import { ringingRoot, ringsOn } from './room-nodes.ts';

const rate = 48_000;
const memory = memorySong([noise(1, rate, 1), noise(1, rate, 2)], rate);
const hash = 'ab'.repeat(32);
const rooms = [
  newRoom('r', 'Hall', {
    kind: 'hall',
    decayS: 0.4,
    levelDb: -6,
    fromRooms: [{ roomId: 's', levelDb: 0 }],
  }),
  newRoom('s', 'Echo', { kind: 'echo', feeds: [feedOf('p0')] }),
];

function after(song: Song, ...edits: readonly Edit[]): Song {
  const outcome = apply(song, { id: 'c', name: 'c', role: 'do', edits });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value.song;
}
const live = after(memory.song, { kind: 'set-rooms', rooms });
const withHall = (song: Song, changes: Partial<Room>): Song =>
  after(song, {
    kind: 'set-rooms',
    rooms: song.rooms.map((room) => (room.id === 'r' ? { ...room, ...changes } : room)),
  });

async function rendered(song: Song, root: string, load: BlockLoader, to: number) {
  const [left, right] = [new Float32Array(to), new Float32Array(to)];
  for await (const block of renderRoot(compile(song, new Map()), root, load, 0, to)) {
    left.set(block.left, block.frame);
    right.set(block.right, block.frame);
  }
  return { left, right };
}

/** The hall frozen, as its worker does it, and what its recording is read from. */
async function frozen() {
  const plan = compile(live, new Map());
  const root = ringingRoot(roots.room('r'));
  const frames = planEnd(plan, root);
  const { left, right } = await rendered(live, root, memory.load, frames);
  const recording: Recording = { ...memoryRecording(0, frames, rate), hash, channels: 2 };
  const song = withHall(after(live, { kind: 'put-recording', recording }), {
    frozen: { recording: hash, key: roomKey(live, live.rooms[0]), levelDb: -6 },
  });
  const load: BlockLoader = (source, index) => {
    if (!source.key.startsWith(hash)) return memory.load(source, index);
    const side = source.key.endsWith(':0') ? left : right;
    return Promise.resolve(side.subarray(index * blockFrames, (index + 1) * blockFrames));
  };
  return { song, load, frames };
}

describe('a frozen part', () => {
  const image = {
    voices: [
      newVoice('v1', 'left', { placement: { kind: 'pan', panPercent: -100 }, amp: usualAmp }),
      newVoice('v2', 'right', {
        ...{ placement: { kind: 'pan', panPercent: 100 }, levelDb: -3 },
        delay: { value: 12, unit: 'ms' },
      }),
    ],
    stage: { ...neutralStage, widthPercent: 80 },
  };
  const wide = memorySong([noise(1, rate, 1)], rate, image);
  const set = (changes: Extract<Edit, { kind: 'set-part' }>['changes']): Edit => ({
    kind: 'set-part',
    partId: 'p0',
    changes,
  });
  const base = after(
    wide.song,
    set({ levelDb: -5 }),
    {
      kind: 'set-rooms',
      rooms: [
        newRoom('r', 'Room', {
          kind: 'ambience',
          decayS: 0.2,
          feeds: [feedOf('p0', { from: 'flanks' })],
        }),
      ],
    },
    {
      kind: 'set-moves',
      moves: [
        {
          id: 'm1',
          target: partTarget('p0', 'widthPercent'),
          curve: curveDescription.parse({ kind: 'cycle', depthPercent: 60 }),
        },
        {
          id: 'm2',
          target: partTarget('p0', 'imagePercent'),
          curve: curveDescription.parse({
            kind: 'points',
            points: [
              { atS: 0.2, by: 0 },
              { atS: 0.6, by: -100 },
            ],
          }),
        },
      ],
    },
  );

  const frozenPart = async () => {
    const at0 = after(base, set({ levelDb: 0 }));
    const frames = planEnd(compile(at0, new Map()), roots.stage('p0'));
    const { left, right } = await rendered(at0, roots.stage('p0'), wide.load, frames);
    const recording: Recording = { ...memoryRecording(0, frames, rate), hash, channels: 2 };
    const song = after(
      base,
      { kind: 'put-recording', recording },
      set({ frozen: { recording: hash, key: partKey(base, base.parts.p0) } }),
    );
    const load: BlockLoader = (source, index) => {
      if (!source.key.startsWith(hash)) return wide.load(source, index);
      const side = source.key.endsWith(':0') ? left : right;
      return Promise.resolve(side.subarray(index * blockFrames, (index + 1) * blockFrames));
    };
    return { song, load };
  };

  test('is what it was, moves and plain in its place and what its flanks feed included; its chain is not worked out', async () => {
    const { song, load } = await frozenPart();
    for (const levelDb of [-5, 2]) {
      const [ahead, now] = [
        await rendered(after(song, set({ levelDb })), roots.song, load, 1.2 * rate),
        await rendered(after(base, set({ levelDb })), roots.song, wide.load, 1.2 * rate),
      ];
      expect(differenceDb(ahead.left, now.left)).toBeLessThan(-120);
      expect(differenceDb(ahead.right, now.right)).toBeLessThan(-120);
    }
    const alone = after(song, { kind: 'set-rooms', rooms: [] });
    const sources = planSources(compile(alone, new Map()), roots.heard).map(({ key }) => key);
    expect(sources.some((key) => key.includes('>drive'))).toBe(false);
    expect(sources.filter((key) => key.startsWith(hash))).toHaveLength(2);
  });

  test('is live as soon as its image would be another; a copy of it is frozen as the same', async () => {
    const { song } = await frozenPart();
    const different: readonly Edit[] = [
      { kind: 'set-stage', partId: 'p0', changes: { widthPercent: 70 } },
      { kind: 'set-voice', partId: 'p0', voiceId: 'v2', changes: { levelDb: -4 } },
      { kind: 'set-pan-law', panLaw: '-6' },
      { kind: 'set-moves', moves: song.moves.slice(1) },
      { kind: 'set-tempo', tempo: [{ atS: 0, bpm: 90, beatsPerBar: 4 }] },
    ];
    for (const edit of different) {
      const changed = after(song, edit);
      expect(isFrozen(changed, changed.parts.p0)).toBe(false);
    }
    const same: readonly Edit[] = [
      set({ levelDb: 3, muted: true, name: 'Other', plainVoice: 'v2' }),
      { kind: 'set-rooms', rooms: [] },
      { kind: 'set-moves', moves: song.moves.slice(0, 1) },
      // What the engineer calls a voice or a take is no part of the sound.
      { kind: 'set-voice', partId: 'p0', voiceId: 'v2', changes: { name: 'Another name' } },
      {
        kind: 'set-take',
        partId: 'p0',
        takeId: song.parts.p0.takes[0].id,
        changes: { name: 'Another take' },
      },
    ];
    for (const edit of same) {
      const changed = after(song, edit);
      expect(isFrozen(changed, changed.parts.p0)).toBe(true);
    }
    const copy = { ...song.parts.p0, id: 'p9', name: 'Copy' };
    const twice = after(song, ...duplicateEdits(song, song.parts.p0, copy, () => `m${made++}`));
    expect(isFrozen(twice, twice.parts.p9)).toBe(true);
    // One of both goes, and the recording stays for the other; then that goes, too.
    const one = after(twice, ...removalEdits(twice, 'p9'));
    expect(Object.keys(one.recordings)).toContain(hash);
    const none = after(one, ...removalEdits(one, 'p0'));
    expect(Object.keys(none.recordings)).not.toContain(hash);
  });
});

let made = 10;

describe('a frozen room', () => {
  test('gives back what it gave, to its last tail, and nothing of it is worked out', async () => {
    const { song, load, frames } = await frozen();
    const plan = compile(song, new Map());
    const kinds = nodesUnder(plan, roots.room('r')).map(({ kind }) => kind);
    expect(kinds).not.toContain('room');
    expect(ringsOn(nodesUnder(plan, roots.room('r')))).toBe(true);
    expect(planEnd(plan, roots.song)).toBeGreaterThanOrEqual(frames);
    for (const root of [roots.room('r'), roots.song]) {
      const [ahead, now] = [
        await rendered(song, root, load, frames),
        await rendered(live, root, memory.load, frames),
      ];
      expect(differenceDb(ahead.left, now.left)).toBeLessThan(-120);
      expect(differenceDb(ahead.right, now.right)).toBeLessThan(-120);
    }
  });

  test('has its level, its mute and its ride still', async () => {
    const { song, load } = await frozen();
    const ride: Edit = {
      kind: 'set-moves',
      moves: [
        {
          id: 'm',
          target: levelTarget('room', 'r'),
          curve: curveDescription.parse({ kind: 'points', points: [{ atS: 0, by: -4 }] }),
        },
      ],
    };
    for (const [edit, by] of [
      [ride, -4],
      [{ kind: 'set-rooms', rooms: [{ ...song.rooms[0], levelDb: -9 }, song.rooms[1]] }, -3],
      [{ kind: 'set-rooms', rooms: [{ ...song.rooms[0], muted: true }, song.rooms[1]] }, -999],
    ] as const) {
      const changed = after(song, edit);
      expect(isFrozen(changed, changed.rooms[0])).toBe(true);
      const one = await rendered(changed, roots.room('r'), load, rate);
      const other = await rendered(song, roots.room('r'), load, rate);
      const scaled = other.left.map((value) => value * 10 ** (by / 20));
      expect(differenceDb(one.left, scaled)).toBeLessThan(by < -100 ? 1 : -120);
      if (by < -100) expect(one.left.every((value) => value === 0)).toBe(true);
    }
  });

  test('rings live as soon as it would give back something else, and reads on where it is as it was', async () => {
    const { song, load } = await frozen();
    const down = curveDescription.parse({ kind: 'points', points: [{ atS: 0, by: -4 }] });
    const moving = (target: ReturnType<typeof partTarget>): Edit => ({
      kind: 'set-moves',
      moves: [{ id: 'm', target, curve: down }],
    });
    const echo = (changes: Partial<Room>): Edit => ({
      kind: 'set-rooms',
      rooms: [song.rooms[0], { ...song.rooms[1], ...changes }],
    });
    const changes: readonly Edit[] = [
      { kind: 'set-rooms', rooms: [{ ...song.rooms[0], decayS: 0.5 }, song.rooms[1]] },
      { kind: 'set-part', partId: 'p0', changes: { levelDb: -1 } },
      { kind: 'set-part', partId: 'p0', changes: { muted: true } },
      { kind: 'set-stage', partId: 'p0', changes: { widthPercent: 90 } },
      echo({ levelDb: -3 }),
      echo({ muted: true }),
      echo({ feeds: [] }),
      moving(partTarget('p0', 'levelDb')),
      moving(levelTarget('room', 's')),
      moving(feedTarget('r', 's')),
      { kind: 'set-pan-law', panLaw: '-6' },
    ];
    for (const edit of changes) {
      const changed = after(song, edit);
      expect(isFrozen(changed, changed.rooms[0])).toBe(false);
      const root = roots.room('r');
      const [one, other] = [
        await rendered(changed, root, load, 9000),
        await rendered(thawed(changed), root, load, 9000),
      ];
      expect(one.left).toEqual(other.left);
    }
    const same: readonly Edit[] = [
      { kind: 'set-part', partId: 'p1', changes: { levelDb: -9 } },
      { kind: 'set-part', partId: 'p0', changes: { name: 'Another', family: 'voice' } },
      { kind: 'set-groups', groups: [groupOfParts('g', 'G', ['p0'])] },
      { kind: 'set-rooms', rooms: [{ ...song.rooms[0], name: 'Cave' }, song.rooms[1]] },
      moving(partTarget('p1', 'widthPercent')),
      moving(levelTarget('room', 'r')),
    ];
    for (const edit of same) {
      const changed = after(song, edit);
      expect(isFrozen(changed, changed.rooms[0])).toBe(true);
    }
  });

  test('is so still when the document was stored with its keys in another order', async () => {
    const { song } = await frozen();
    const turned = (value: unknown): unknown =>
      Array.isArray(value)
        ? value.map(turned)
        : typeof value === 'object' && value !== null
          ? Object.fromEntries(
              Object.entries(value)
                .reverse()
                .map(([key, held]) => [key, turned(held)]),
            )
          : value;
    const read = readSong(turned(song));
    if (!read.ok) throw new Error(read.error.sentence);
    expect(isFrozen(read.value, read.value.rooms[0])).toBe(true);
  });

  test('keeps its recording, and cannot be without it; thawed it is the song with no room frozen', async () => {
    const { song } = await frozen();
    const drop = apply(song, {
      id: 'c',
      name: 'c',
      role: 'do',
      edits: [{ kind: 'drop-recording', hash }],
    });
    expect(drop.ok ? '' : drop.error.sentence).toMatch(/“Hall” is frozen as this recording/);
    const missing = apply(live, {
      id: 'c',
      name: 'c',
      role: 'do',
      edits: [{ kind: 'set-rooms', rooms: [{ ...song.rooms[0] }, song.rooms[1]] }],
    });
    expect(missing.ok ? '' : missing.error.sentence).toMatch(
      /frozen as a recording that the song does not have/,
    );
    expect(thawed(song).rooms.every((room) => room.frozen === null)).toBe(true);
    expect(thawed(song)).toBe(thawed(song));
    expect(thawed(live)).toBe(live);
  });
});
