import { isSame } from '../parameters/same.ts';
import { groupOfParts, groupsAround, mostGroups, type Group, type GroupDraft } from './along.ts';
import { partsInOrder, type Part, type Song } from './song.ts';

/** A row of the song as it is laid out: a group above what is in it, wherever the first part of that stands. */
export type SongRow = {
  /** How many groups it lies in. */
  readonly depth: number;
} & (
  | { readonly kind: 'group'; readonly group: Group }
  | { readonly kind: 'part'; readonly part: Part; readonly group: Group | null }
);

/** The group that a part is in. */
export function groupOf(song: Song, partId: string): Group | null {
  return song.groups.find(({ partIds }) => partIds.includes(partId)) ?? null;
}

/** All parts in a group and in the groups within it, in the order of the song. */
export function partsUnder(song: Song, group: Group): string[] {
  return song.partOrder.filter((partId) => {
    const own = groupOf(song, partId);
    return own !== null && (own.id === group.id || groupsAround(song, own).includes(group));
  });
}

/** The groups that may lie in a group: not itself, and none that it lies in. */
export function mayLieIn(song: Song, group: Group): Group[] {
  return song.groups.filter(
    (other) => other.id !== group.id && !groupsAround(song, other).includes(group),
  );
}

/** Groups from within: each behind those that lie in it. */
export function innermostFirst<Of extends Pick<Group, 'id' | 'parentId'>>(
  groups: readonly Of[],
): Of[] {
  const of = (parentId: string): Of[] =>
    groups.flatMap((group) => (group.parentId === parentId ? [...of(group.id), group] : []));
  return groups.flatMap((group) => (group.parentId === null ? [...of(group.id), group] : []));
}

/** All parts in their order, those of a group together; groups without any come last. */
export function songRows(song: Song): SongRow[] {
  const rows: SongRow[] = [];
  const laid = new Set<string>();
  const parts = partsInOrder(song);
  /** What lies in a group, or in none: parts as they are, and groups above theirs. */
  const lay = (within: Group | null, depth: number) => {
    for (const part of parts) {
      const own = groupOf(song, part.id);
      if (own === within) rows.push({ kind: 'part', part, group: own, depth });
      else if (own) {
        const chain = [own, ...groupsAround(song, own)];
        const at = within === null ? chain.length : chain.indexOf(within);
        if (at > 0) layGroup(chain[at - 1], depth);
      }
    }
    for (const group of song.groups)
      if (group.parentId === (within?.id ?? null)) layGroup(group, depth);
  };
  const layGroup = (group: Group, depth: number) => {
    if (laid.has(group.id)) return;
    laid.add(group.id);
    rows.push({ kind: 'group', group, depth });
    lay(group, depth + 1);
  };
  lay(null, 0);
  return rows;
}

/** The groups of a song without one of them: what was in it is where it was. */
export function dissolved(song: Song, { id, parentId, partIds }: Group): Group[] {
  return song.groups.flatMap((group): Group[] => {
    if (group.id === id) return [];
    const within = group.parentId === id ? { ...group, parentId } : group;
    return group.id === parentId
      ? [{ ...within, partIds: [...group.partIds, ...partIds] }]
      : [within];
  });
}

/** Parts taken out of the groups that they are in. */
function without(groups: readonly Group[], partIds: readonly string[]): Group[] {
  return groups.map((group) =>
    group.partIds.some((id) => partIds.includes(id))
      ? { ...group, partIds: group.partIds.filter((id) => !partIds.includes(id)) }
      : group,
  );
}

/** A new group of these parts, in the group that all of them were in; null where there are as many groups as there may be. */
export function newGroup(song: Song, id: string, partIds: readonly string[]): Group[] | null {
  if (song.groups.length >= mostGroups) return null;
  const names = new Set(song.groups.map(({ name }) => name));
  let n = song.groups.length + 1;
  while (names.has(`Group ${n}`)) n++;
  const [first, ...others] = partIds.map((partId) => groupOf(song, partId)?.id ?? null);
  const parentId = others.every((other) => other === first) ? (first ?? null) : null;
  const group = groupOfParts(id, `Group ${n}`, partIds, { parentId });
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

/** What of a group is kept as a draft. */
function stateOf({ preparation, stage, levelDb }: Group): GroupDraft {
  return { preparation, stage, levelDb };
}

/** A group's state kept under a number key. */
export function keptGroupDraft(song: Song, group: Group, number: string): Group[] {
  const drafts = { ...group.drafts, [number]: stateOf(group) };
  return changedGroup(song, group.id, { drafts, draft: number });
}

/** A group as one of its drafts. */
export function recalledGroupDraft(song: Song, group: Group, number: string): Group[] {
  return changedGroup(song, group.id, { ...group.drafts[number], draft: number });
}

/** Whether a group is one of its drafts as that was kept. */
export function isGroupDraft(group: Group, number: string): boolean {
  return isSame(group.drafts[number], stateOf(group));
}
