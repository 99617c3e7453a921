import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { usualAmp } from '../amps/amp.ts';
import { neutralStage } from '../image/stage.ts';
import { memorySong } from '../rendering/memory.fixture.ts';
import { feedOf } from '../rooms/feeds.ts';
import { newRoom } from '../rooms/room.ts';
import { newVoice } from '../voices/voice.ts';
import { groupOfParts } from './along.ts';
import { anySong } from './any-song.fixture.ts';
import { apply } from './commands.ts';
import type { Edit } from './edits/edit.ts';
import { movable } from './movable.ts';
import { changedSettings, settingName } from './settings.ts';
import type { Song } from './song.ts';

function after(song: Song, ...edits: readonly Edit[]): Song {
  const outcome = apply(song, { id: 'c', name: 'c', role: 'do', edits });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value.song;
}

const rooms = [
  newRoom('r', 'Room', { feeds: [feedOf('p0')] }),
  newRoom('s', 'Other', { fromRooms: [{ roomId: 'r', levelDb: -3 }] }),
];
const song = after(
  memorySong([new Float32Array(4800)], 48_000, {
    voices: [
      newVoice('v1', 'left', { placement: { kind: 'pan', panPercent: -100 }, amp: usualAmp }),
      newVoice('v2', 'mirrored', { placement: { kind: 'mirror' } }),
    ],
    stage: neutralStage,
  }).song,
  { kind: 'set-groups', groups: [groupOfParts('g', 'Group', ['p0'])] },
  { kind: 'set-rooms', rooms },
);
const voice = (
  voiceId: string,
  changes: Extract<Edit, { kind: 'set-voice' }>['changes'],
): Edit => ({
  kind: 'set-voice',
  partId: 'p0',
  voiceId,
  changes,
});

describe('settings that were moved', () => {
  test.each<[string, Edit, string, number]>([
    ['a level', { kind: 'set-part', partId: 'p0', changes: { levelDb: -4 } }, 'levelDb', -4],
    [
      'a width',
      { kind: 'set-stage', partId: 'p0', changes: { widthPercent: 150 } },
      'widthPercent',
      50,
    ],
    ['the flanks', { kind: 'set-stage', partId: 'p0', changes: { flanksDb: -6 } }, 'flanksDb', -6],
    ['a place', voice('v1', { placement: { kind: 'pan', panPercent: -40 } }), 'panPercent', 60],
    ['a delay in samples', voice('v1', { delay: { value: 96, unit: 'samples' } }), 'delayMs', 2],
    [
      'a high cut from none',
      voice('v1', { tone: { highCutHz: 5000 } as never }),
      'highCutOctaves',
      -2,
    ],
    ['a drive', voice('v1', { amp: { ...usualAmp, driveDb: 20 } }), 'driveDb', 8],
    [
      "a group's level",
      { kind: 'set-groups', groups: [{ ...song.groups[0], levelDb: -2 }] },
      'levelDb',
      -2,
    ],
    [
      'a return',
      { kind: 'set-rooms', rooms: [{ ...rooms[0], levelDb: 3 }, rooms[1]] },
      'levelDb',
      3 - rooms[0].levelDb,
    ],
    [
      'a feed of a part',
      {
        kind: 'set-rooms',
        rooms: [{ ...rooms[0], feeds: [{ ...rooms[0].feeds[0], levelDb: -9 }] }, rooms[1]],
      },
      'levelDb',
      -9 - rooms[0].feeds[0].levelDb,
    ],
    [
      'a feed of a room',
      {
        kind: 'set-rooms',
        rooms: [rooms[0], { ...rooms[1], fromRooms: [{ roomId: 'r', levelDb: -5 }] }],
      },
      'levelDb',
      -2,
    ],
  ])('%s, in the unit of what moves', (_, edit, parameter, by) => {
    const changed = changedSettings(song, after(song, edit));
    expect(changed).toHaveLength(1);
    expect(changed[0].target.parameter).toBe(parameter);
    expect(changed[0].by).toBeCloseTo(by, 9);
  });

  test('what may not move, what was removed and what became another kind is none', () => {
    const edits: Edit[] = [
      voice('v1', { tuner: { cents: 7 } as never }),
      voice('v1', { placement: { kind: 'mirror' } }),
      voice('v2', { placement: { kind: 'pan', panPercent: 10 } }),
      voice('v2', { amp: usualAmp }),
      { kind: 'set-stage', partId: 'p0', changes: { tiltDb: 3 } },
      { kind: 'set-rooms', rooms: [] },
      { kind: 'set-groups', groups: [] },
    ];
    for (const edit of edits) expect(changedSettings(song, after(song, edit))).toEqual([]);
  });

  test('of any two songs all that is said to have moved may move, and nothing of a song has moved against itself', () => {
    fc.assert(
      fc.property(anySong, anySong, (one, other) => {
        expect(changedSettings(one, structuredClone(one))).toEqual([]);
        for (const { target, by } of changedSettings(one, other)) {
          expect(movable[target.kind]).toContain(target.parameter);
          expect(Number.isFinite(by)).toBe(true);
        }
      }),
      { numRuns: 50 },
    );
  });

  test('are called by what they belong to', () => {
    expect(settingName(song, { kind: 'feed', id: 's', of: 'r', parameter: 'levelDb' })).toBe(
      'Room into Other',
    );
    expect(settingName(song, { kind: 'voice', id: 'p0', of: 'v1', parameter: 'delayMs' })).toBe(
      `${song.parts.p0.name}, left`,
    );
    expect(settingName(song, { kind: 'group', id: 'g', of: null, parameter: 'levelDb' })).toBe(
      'Group',
    );
  });
});
