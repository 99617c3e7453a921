import type { Edit } from './edits/edit.ts';
import { groupsAround } from './along.ts';
import { groupOf, inGroup, partsUnder, songRows, type SongRow } from './groups.ts';
import type { Part, Song } from './song.ts';

/** By which rows are told apart: parts and groups may have the same ids. */
export function rowId(row: SongRow): string {
  return row.kind === 'group' ? `group/${row.group.id}` : `part/${row.part.id}`;
}

/** The edits that bring the parts into another order, one at a time from the top. */
function orderEdits(from: readonly string[], to: readonly string[]): Edit[] {
  const edits: Edit[] = [];
  const now = [...from];
  for (const [index, partId] of to.entries()) {
    if (now[index] === partId) continue;
    now.splice(now.indexOf(partId), 1);
    now.splice(index, 0, partId);
    edits.push({ kind: 'move-part', partId, index });
  }
  return edits;
}

/**
 * The parts between which there is no room for a row: those of a group that it does not lie in stay together.
 * @returns null where a group is dropped on what lies in it
 */
function blockOf(song: Song, row: SongRow, target: SongRow): readonly string[] | null {
  if (row.kind === 'part')
    return target.kind === 'part' ? [target.part.id] : partsUnder(song, target.group);
  const { group } = target;
  if (!group) return target.kind === 'part' ? [target.part.id] : null;
  const around = [group, ...groupsAround(song, group)];
  if (around.some(({ id }) => id === row.group.id)) return null;
  // The outermost of those that it is not in itself.
  const own = groupsAround(song, row.group);
  const outer = around.filter((one) => !own.includes(one)).at(-1);
  if (outer) return partsUnder(song, outer);
  return target.kind === 'part' ? [target.part.id] : partsUnder(song, group);
}

/** A part's colour is its family's: dropped on another row, that takes it on; on a group, all that lies in it. */
export function colourEdits(song: Song, partId: string, over: string): Edit[] {
  const from = song.parts[partId] as Part | undefined;
  const target = songRows(song).find((row) => rowId(row) === over);
  if (!from || !target) return [];
  const ids = target.kind === 'part' ? [target.part.id] : partsUnder(song, target.group);
  return ids
    .filter((id) => song.parts[id].family !== from.family)
    .map((id) => ({ kind: 'set-part', partId: id, changes: { family: from.family } }));
}

/**
 * What it means that a row was dropped on another one. A part dropped on a group or on a part of one goes into it, on any other part it leaves its
 * own; a group takes its parts along.
 * @returns nothing where nothing changes
 */
export function dropEdits(song: Song, dragged: string, over: string): Edit[] {
  const rows = songRows(song);
  const at = rows.findIndex((row) => rowId(row) === dragged);
  const to = rows.findIndex((row) => rowId(row) === over);
  if (at < 0 || to < 0 || at === to) return [];
  const [row, target] = [rows[at], rows[to]];
  const moving = row.kind === 'group' ? partsUnder(song, row.group) : [row.part.id];
  const block = blockOf(song, row, target);
  if (!block) return [];
  const rest = song.partOrder.filter((id) => !moving.includes(id));
  const places = rest.flatMap((id, n) => (block.includes(id) ? [n] : []));
  const kept = song.partOrder.filter((id) => moving.includes(id));
  const into = row.kind === 'part' && target.kind === 'group';
  const index =
    places.length === 0
      ? rest.length
      : at < to && !into
        ? (places.at(-1) as number) + 1
        : places[0];
  const order = places.length === 0 && into ? song.partOrder : rest.toSpliced(index, 0, ...kept);
  const edits = orderEdits(song.partOrder, order);
  if (row.kind === 'part') {
    const groupId = target.group?.id ?? null;
    if ((groupOf(song, row.part.id)?.id ?? null) !== groupId)
      edits.unshift({ kind: 'set-groups', groups: inGroup(song, groupId, moving) });
  }
  return edits;
}
