import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { noise } from '../measurement/signals.fixture.ts';
import { memorySong } from '../rendering/memory.fixture.ts';
import { mostGroups } from './along.ts';
import { apply } from './commands.ts';
import { groupContentKey } from './content-key.ts';
import {
  changedGroup,
  dissolved,
  groupOf,
  inGroup,
  innermostFirst,
  isGroupDraft,
  keptGroupDraft,
  mayLieIn,
  newGroup,
  partsUnder,
  recalledGroupDraft,
  songRows,
} from './groups.ts';
import { colourEdits, dropEdits, rowId } from './row-drop.ts';
import type { Group, Song } from './song.ts';

const parts = ['p0', 'p1', 'p2', 'p3'];
const { song } = memorySong(parts.map((_, n) => noise(1, 48_000, n)));

function grouped(from: Song, groups: readonly Group[] | null): Song {
  const done = apply(from, {
    id: 'c',
    name: 'group',
    role: 'do',
    edits: [{ kind: 'set-groups', groups: groups ?? [] }],
  });
  if (!done.ok) throw new Error(done.error.sentence);
  return done.value.song;
}

const rowsOf = (of: Song) =>
  songRows(of).map((row) => (row.kind === 'group' ? row.group.name : row.part.id));

describe('groups', () => {
  test('are again what they were kept as; what else they could be changes nothing of what sounds', () => {
    const plain = grouped(song, newGroup(song, 'g', ['p0', 'p1']));
    const kept = grouped(plain, keptGroupDraft(plain, plain.groups[0], '4'));
    expect(groupContentKey(kept, kept.groups[0])).toBe(groupContentKey(plain, plain.groups[0]));
    const stage = { ...kept.groups[0].stage, widthPercent: 140 };
    const changed = grouped(kept, changedGroup(kept, 'g', { stage, levelDb: -2, muted: true }));
    expect(isGroupDraft(kept.groups[0], '4')).toBe(true);
    expect(isGroupDraft(changed.groups[0], '4')).toBe(false);
    const again = grouped(changed, recalledGroupDraft(changed, changed.groups[0], '4'));
    expect(again.groups[0]).toEqual({ ...kept.groups[0], muted: true });
  });

  test('stand where the first of their parts does, their parts under them in their order', () => {
    const two = grouped(song, newGroup(song, 'g', ['p3', 'p1']));
    expect(rowsOf(song)).toEqual(parts);
    expect(rowsOf(two)).toEqual(['p0', 'Group 1', 'p1', 'p3', 'p2']);
    expect(groupOf(two, 'p3')?.id).toBe('g');
    expect(groupOf(two, 'p0')).toBeNull();
  });

  test('a part is in one group: put into another it leaves the first, and an empty one stays, last', () => {
    const one = grouped(song, newGroup(song, 'g', ['p0']));
    const two = grouped(one, newGroup(one, 'h', ['p0', 'p2']));
    expect(rowsOf(two)).toEqual(['Group 2', 'p0', 'p2', 'p1', 'p3', 'Group 1']);
    const out = grouped(two, inGroup(two, null, ['p0']));
    expect(rowsOf(out)).toEqual(['p0', 'p1', 'Group 2', 'p2', 'p3', 'Group 1']);
    const back = grouped(out, inGroup(out, 'g', ['p3']));
    expect(rowsOf(back)).toEqual(['p0', 'p1', 'Group 2', 'p2', 'Group 1', 'p3']);
  });

  test('one is changed, the others are the same; no name comes twice; there is an end to them', () => {
    let many = song;
    for (let n = 0; n < mostGroups; n++) many = grouped(many, newGroup(many, `g${n}`, []));
    expect(new Set(many.groups.map(({ name }) => name)).size).toBe(mostGroups);
    expect(newGroup(many, 'more', [])).toBeNull();
    const soft = changedGroup(many, 'g3', { levelDb: -6 });
    expect(soft[3]).toMatchObject({ id: 'g3', levelDb: -6 });
    expect(soft[4]).toBe(many.groups[4]);
  });
});

describe('groups in groups', () => {
  /** p1 in “Group 1” in “Group 2”, which has p3, too. */
  const one = grouped(song, newGroup(song, 'g', ['p1']));
  const two = grouped(one, newGroup(one, 'h', ['p3']));
  const nested = grouped(two, changedGroup(two, 'g', { parentId: 'h' }));
  const row = (of: Song, name: string) => {
    const found = songRows(of).find((one) => one.kind === 'group' && one.group.name === name);
    if (found?.kind !== 'group') throw new Error(`There is no ${name}.`);
    return found;
  };

  test('stand within each other, wherever the first part of them does', () => {
    expect(rowsOf(nested)).toEqual(['p0', 'Group 2', 'Group 1', 'p1', 'p3', 'p2']);
    expect(songRows(nested).map(({ depth }) => depth)).toEqual([0, 0, 1, 2, 1, 0]);
    expect(partsUnder(nested, row(nested, 'Group 2').group)).toEqual(['p1', 'p3']);
    const empty = grouped(nested, inGroup(nested, null, ['p1', 'p3']));
    expect(rowsOf(empty)).toEqual(['p0', 'p1', 'p2', 'p3', 'Group 2', 'Group 1']);
    // Parts of one group make a group within it.
    expect(newGroup(nested, 'i', ['p1'])?.at(-1)?.parentId).toBe('g');
    expect(newGroup(nested, 'i', ['p1', 'p0'])?.at(-1)?.parentId).toBeNull();
  });

  test('none lies in itself, by whatever way round', () => {
    expect(mayLieIn(nested, row(nested, 'Group 2').group)).toEqual([]);
    for (const [id, parentId] of [
      ['h', 'g'],
      ['g', 'g'],
      ['g', 'none'],
    ]) {
      const outcome = apply(nested, {
        id: 'c',
        name: 'group',
        role: 'do',
        edits: [{ kind: 'set-groups', groups: changedGroup(nested, id, { parentId }) }],
      });
      expect(outcome.ok ? '' : outcome.error.sentence).toMatch(
        parentId === 'none'
          ? /lies in a group of the song/
          : /cannot lie in a group that lies in it/,
      );
    }
  });

  test('one that is dissolved leaves what was in it where it was', () => {
    const outer = grouped(nested, dissolved(nested, row(nested, 'Group 2').group));
    expect(rowsOf(outer)).toEqual(['p0', 'Group 1', 'p1', 'p2', 'p3']);
    const inner = grouped(nested, dissolved(nested, row(nested, 'Group 1').group));
    expect(rowsOf(inner)).toEqual(['p0', 'Group 2', 'p1', 'p3', 'p2']);
  });

  test('each comes behind those that lie in it', () => {
    expect(innermostFirst(nested.groups).map(({ id }) => id)).toEqual(['g', 'h']);
  });

  test('a colour that is dropped on a part is its own then, on a group that of all in it; nothing else is moved', () => {
    const coloured = apply(nested, {
      id: 'c',
      name: 'colour',
      role: 'do',
      edits: [{ kind: 'set-part', partId: 'p0', changes: { family: 'voice' } }],
    });
    if (!coloured.ok) throw new Error(coloured.error.sentence);
    const { song } = coloured.value;
    const given = (over: string) =>
      colourEdits(song, 'p0', over).map((edit) => (edit.kind === 'set-part' ? edit.partId : '?'));
    expect(given('part/p2')).toEqual(['p2']);
    expect(given('group/h').sort()).toEqual(['p1', 'p3']);
    expect(given('part/p0')).toEqual([]);
    expect(given('part/gone')).toEqual([]);
    expect(colourEdits(song, 'gone', 'part/p1')).toEqual([]);
  });

  test('a group goes before all of another one, and not into what lies in it', () => {
    const drop = (dragged: string, over: string) => {
      const done = apply(nested, {
        id: 'c',
        name: 'drop',
        role: 'do',
        edits: dropEdits(nested, dragged, over),
      });
      if (!done.ok) throw new Error(done.error.sentence);
      return rowsOf(done.value.song);
    };
    expect(drop('group/h', 'part/p0')).toEqual(['Group 2', 'Group 1', 'p1', 'p3', 'p0', 'p2']);
    // The first part of the outer one is p3 then: it stands where that does.
    expect(drop('group/g', 'part/p3')).toEqual(['p0', 'p2', 'Group 2', 'p3', 'Group 1', 'p1']);
    expect(dropEdits(nested, 'group/h', 'part/p1')).toEqual([]);
    expect(drop('part/p0', 'part/p3')).toEqual(['Group 2', 'Group 1', 'p1', 'p3', 'p0', 'p2']);
  });
});

describe('a row is dropped on another one', () => {
  const dropped = (from: Song, dragged: string, over: string): Song => {
    const edits = dropEdits(from, dragged, over);
    if (edits.length === 0) return from;
    const done = apply(from, { id: 'c', name: 'drop', role: 'do', edits });
    if (!done.ok) throw new Error(done.error.sentence);
    return done.value.song;
  };
  const two = grouped(song, newGroup(song, 'g', ['p1', 'p2']));

  test('a part goes where it is dropped, down and up', () => {
    expect(rowsOf(dropped(song, 'part/p0', 'part/p2'))).toEqual(['p1', 'p2', 'p0', 'p3']);
    expect(rowsOf(dropped(song, 'part/p3', 'part/p0'))).toEqual(['p3', 'p0', 'p1', 'p2']);
    expect(dropped(song, 'part/p0', 'part/p0')).toBe(song);
  });

  test('into a group on its row or on one of its parts, out of it on any other', () => {
    expect(rowsOf(two)).toEqual(['p0', 'Group 1', 'p1', 'p2', 'p3']);
    expect(rowsOf(dropped(two, 'part/p0', 'group/g'))).toEqual(['Group 1', 'p0', 'p1', 'p2', 'p3']);
    expect(rowsOf(dropped(two, 'part/p3', 'part/p2'))).toEqual(['p0', 'Group 1', 'p1', 'p3', 'p2']);
    expect(rowsOf(dropped(two, 'part/p1', 'part/p0'))).toEqual(['p1', 'p0', 'Group 1', 'p2', 'p3']);
    const empty = grouped(two, inGroup(two, null, ['p1', 'p2']));
    expect(rowsOf(dropped(empty, 'part/p1', 'group/g'))).toEqual([
      'p0',
      'Group 1',
      'p1',
      'p2',
      'p3',
    ]);
  });

  test('a group takes its parts along, and goes round another group as a whole', () => {
    expect(rowsOf(dropped(two, 'group/g', 'part/p3'))).toEqual(['p0', 'p3', 'Group 1', 'p1', 'p2']);
    const three = grouped(two, newGroup(two, 'h', ['p0', 'p3']));
    expect(rowsOf(three)).toEqual(['Group 2', 'p0', 'p3', 'Group 1', 'p1', 'p2']);
    expect(rowsOf(dropped(three, 'group/g', 'part/p0'))).toEqual(
      ['Group 1', 'p1', 'p2'].concat(['Group 2', 'p0', 'p3']),
    );
    expect(dropped(three, 'group/g', 'part/p1')).toBe(three);
  });

  test('whatever is dropped on whatever, every part stays, once, and undo brings all back', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.nat(7), fc.nat(7)), { maxLength: 12 }), (drops) => {
        let now = grouped(two, newGroup(two, 'h', ['p3']));
        for (const [from, to] of drops) {
          const rows = songRows(now);
          const edits = dropEdits(
            now,
            rowId(rows[from % rows.length]),
            rowId(rows[to % rows.length]),
          );
          if (edits.length === 0) continue;
          const done = apply(now, { id: 'c', name: 'drop', role: 'do', edits });
          if (!done.ok) throw new Error(done.error.sentence);
          const { inverse } = done.value;
          const back = apply(done.value.song, { id: 'u', name: 'u', role: 'undo', edits: inverse });
          expect(back.ok && back.value.song).toEqual(now);
          now = done.value.song;
          expect([...now.partOrder].sort()).toEqual(parts);
        }
      }),
      { numRuns: 60 },
    );
  });
});
