import { groupOfParts, mostGroups, type Group } from './along.ts';
import { partsInOrder, type Part, type Song } from './song.ts';

/** A row of the song as it is laid out: a group above its parts, wherever the first of them stands. */
export type SongRow =
  | { readonly kind: 'group'; readonly group: Group }
  | { readonly kind: 'part'; readonly part: Part; readonly group: Group | null };

/** The group that a part is in. */
export function groupOf(song: Song, partId: string): Group | null {
  return song.groups.find(({ partIds }) => partIds.includes(partId)) ?? null;
}

/** All parts in their order, those of a group together; groups without any come last. */
export function songRows(song: Song): SongRow[] {
  const rows: SongRow[] = [];
  const laid = new Set<string>();
  const parts = partsInOrder(song);
  const lay = (group: Group) => {
    laid.add(group.id);
    rows.push({ kind: 'group', group });
    for (const part of parts)
      if (group.partIds.includes(part.id)) rows.push({ kind: 'part', part, group });
  };
  for (const part of parts) {
    const group = groupOf(song, part.id);
    if (!group) rows.push({ kind: 'part', part, group });
    else if (!laid.has(group.id)) lay(group);
  }
  for (const group of song.groups) if (!laid.has(group.id)) lay(group);
  return rows;
}

/** Parts taken out of the groups that they are in. */
function without(groups: readonly Group[], partIds: readonly string[]): Group[] {
  return groups.map((group) =>
    group.partIds.some((id) => partIds.includes(id))
      ? { ...group, partIds: group.partIds.filter((id) => !partIds.includes(id)) }
      : group,
  );
}

/** A new group of these parts, taken out of any other; null where there are as many groups as there may be. */
export function newGroup(song: Song, id: string, partIds: readonly string[]): Group[] | null {
  if (song.groups.length >= mostGroups) return null;
  const names = new Set(song.groups.map(({ name }) => name));
  let n = song.groups.length + 1;
  while (names.has(`Group ${n}`)) n++;
  const group = groupOfParts(id, `Group ${n}`, partIds);
  return [...without(song.groups, partIds), group];
}

/** Parts put into a group, or out of all where `groupId` is null. */
export function inGroup(song: Song, groupId: string | null, partIds: readonly string[]): Group[] {
  return without(song.groups, partIds).map((group) =>
    group.id === groupId ? { ...group, partIds: [...group.partIds, ...partIds] } : group,
  );
}

/** One group changed. */
export function changedGroup(song: Song, id: string, changes: Partial<Group>): Group[] {
  return song.groups.map((group) => (group.id === id ? { ...group, ...changes } : group));
}
