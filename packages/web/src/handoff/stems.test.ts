import { expect, test } from '@jest/globals';
import { feedOf } from '@pannet/core/rooms/feeds';
import { startingRoom } from '@pannet/core/rooms/starting';
import { groupOfParts } from '@pannet/core/song/along';
import { apply } from '@pannet/core/song/commands';
import { twoParts } from '../testing/song.fixture.ts';
import { exportNames, stemIds, stemLabel, stemOf } from './stems.ts';

test('parts, groups and what rooms give back are stems, each with the parts that it needs and a name of its own', () => {
  const plate = { ...startingRoom('r', 'plate', []), name: 'A/B room' };
  const fed = apply(twoParts(), {
    id: 'c',
    name: 'c',
    role: 'do',
    edits: [
      { kind: 'set-groups', groups: [groupOfParts('g', 'Both', ['hum', 'harp'])] },
      {
        kind: 'set-rooms',
        rooms: [
          {
            ...plate,
            feeds: [feedOf('harp'), feedOf('harp', { from: 'flanks' })],
          },
          { ...plate, id: 'r2' },
        ],
      },
    ],
  });
  if (!fed.ok) throw new Error(fed.error.sentence);
  const { song } = fed.value;
  const ids = stemIds(song);
  expect(ids).toEqual(['hum', 'harp', 'group/g', 'room/r', 'room/r2']);
  const stems = ids.map((id) => stemOf(song, id));
  expect(stems.map(({ partIds }) => partIds)).toEqual(
    [['hum'], ['harp'], ['hum', 'harp'], ['harp']].concat([[]]),
  );
  expect(stems.map(stemLabel)).toEqual(
    ['Hum', 'Harp', 'Both, group'].concat(['A/B room, return', 'A/B room, return']),
  );
  const names = exportNames(song, ids);
  expect(names.slice(0, 3)).toEqual(['take-0_wide.wav', 'take-1_wide.wav', 'Both_group.wav']);
  expect(names[3]).toMatch(/^[^/]*_return\.wav$/);
  expect(new Set(names).size).toBe(5);
});
