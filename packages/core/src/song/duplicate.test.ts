import { expect, test } from '@jest/globals';
import { noise } from '../measurement/signals.fixture.ts';
import { curveDescription } from '../moves/curve.ts';
import { differenceDb, memorySong, renderSides } from '../rendering/memory.fixture.ts';
import { roots } from '../rendering/plan.ts';
import { feedOf } from '../rooms/feeds.ts';
import { newRoom } from '../rooms/room.ts';
import { groupOfParts } from './along.ts';
import { apply } from './commands.ts';
import { duplicateEdits } from './duplicate.ts';
import type { Edit } from './edits/edit.ts';
import { feedTarget, partTarget, voiceTarget } from './moves-of.ts';
import type { Song } from './song.ts';

const rate = 48_000;

function done(song: Song, edits: readonly Edit[]): Song {
  const outcome = apply(song, { id: 'c', name: 'c', role: 'do', edits });
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  return outcome.value.song;
}

test('a part that is duplicated is in its group and its rooms, moves as it moves, and sounds alike', async () => {
  const memory = memorySong([noise(1, rate, 1)], rate);
  const [voice] = memory.song.parts.p0.image.voices;
  const curve = curveDescription.parse({ kind: 'cycle' });
  const targets = [
    partTarget('p0', 'levelDb'),
    voiceTarget('p0', voice.id, 'levelDb'),
    feedTarget('r', 'p0'),
  ];
  const song = done(memory.song, [
    { kind: 'set-groups', groups: [groupOfParts('g', 'G', ['p0'])] },
    { kind: 'set-rooms', rooms: [newRoom('r', 'R', { decayS: 0.2, feeds: [feedOf('p0')] })] },
    {
      kind: 'set-moves',
      moves: targets.map((target, n) => ({ id: `m${n}`, target, curve })),
    },
  ]);
  let ids = 0;
  const part = song.parts.p0;
  const copy = { ...part, id: 'p1', name: 'Again' };
  const twice = done(
    song,
    duplicateEdits(song, part, copy, () => `n${ids++}`),
  );
  expect(twice.groups[0].partIds).toEqual(['p0', 'p1']);
  expect(twice.rooms[0].feeds.map(({ partId }) => partId)).toEqual(['p0', 'p1']);
  expect(twice.moves.slice(3).map(({ target }) => target)).toEqual([
    partTarget('p1', 'levelDb'),
    voiceTarget('p1', voice.id, 'levelDb'),
    feedTarget('r', 'p1'),
  ]);
  const [first, second] = await Promise.all(
    ['p0', 'p1'].map((id) => renderSides(memory, twice, roots.part(id), 20_000)),
  );
  expect(differenceDb(second.left, first.left)).toBeLessThan(-140);
  // A part that is in nothing is only once more.
  expect(duplicateEdits(memory.song, part, copy, () => '').map(({ kind }) => kind)).toEqual([
    'add-part',
  ]);
});
