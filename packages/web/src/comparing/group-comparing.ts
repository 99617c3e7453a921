import { matchLevels, type MatchMode } from '@pannet/core/comparing/matching';
import type { Level } from '@pannet/core/findings/part-figures';
import { isSame } from '@pannet/core/parameters/same';
import { db, dbToGain } from '@pannet/core/quantities/units';
import { isGroupDraft } from '@pannet/core/song/groups';
import type { Group, Song } from '@pannet/core/song/song';
import { createStore } from 'zustand/vanilla';
import { groupDrafts, type GroupFigures, type GroupState } from '../measuring/group-figures.ts';

/** The group as it is, among its drafts. */
const now = 'now';

interface GroupComparingState {
  /** By group: what was heard when the comparison of its drafts began. */
  readonly held: Readonly<Record<string, GroupState>>;
}

/** Drafts of a group are compared at equal loudness, as states of a part are: that of what was heard when the comparison began. */
export class GroupComparing {
  readonly store = createStore<GroupComparingState>(() => ({ held: {} }));
  readonly #figures: GroupFigures;

  constructor(figures: GroupFigures) {
    this.#figures = figures;
  }

  /** Begins a comparison, if there is none. */
  hold(song: Song, group: Group): void {
    const { held } = this.store.getState();
    if (Object.hasOwn(held, group.id)) return;
    this.#setHeld({ ...held, [group.id]: { song, group } });
  }

  release(groupId: string): void {
    const { [groupId]: _, ...held } = this.store.getState().held;
    this.#setHeld(held);
  }

  #setHeld(held: GroupComparingState['held']): void {
    this.store.setState({ held });
    this.#figures.want(Object.values(held));
  }

  /**
   * Goes with the song: what is gone, or has no drafts any more, is compared no more, and a level that is moved is heard as moved.
   * @returns the names of those whose level was moved
   */
  follow(song: Song, before: Song): string[] {
    const moved: string[] = [];
    for (const id of Object.keys(this.store.getState().held)) {
      const group = song.groups.find((one) => one.id === id);
      const known = before.groups.find((one) => one.id === id);
      const isMoved = group && known && isLevelMoved(group, known);
      if (isMoved) moved.push(group.name);
      if (isMoved || !group || Object.keys(group.drafts).length === 0) this.release(id);
    }
    return moved;
  }

  /** By how many dB a group is raised as it is in a song; null where it is not compared, or not measured yet. */
  matchedDb(song: Song, group: Group, mode: MatchMode): number | null {
    const { held } = this.store.getState();
    const goal = Object.hasOwn(held, group.id) ? this.#figures.levelOf(held[group.id]) : null;
    const own = this.#figures.levelOf({ song, group });
    if (!goal || !own) return null;
    const levels: Record<string, Level> = { [now]: own };
    for (const [number, state] of groupDrafts(song, group)) {
      const level = this.#figures.levelOf(state);
      if (level) levels[number] = level;
    }
    return matchLevels(levels, goal, mode).gainsDb[now];
  }

  /**
   * Linear gains of all groups that are compared. What is not measured yet is heard as it is exported where another draft was taken up, since that
   * may be far louder, and keeps the gain that it had while it is changed.
   */
  gains(
    song: Song,
    mode: MatchMode,
    before: Readonly<Record<string, number>>,
  ): Record<string, number> {
    const { held } = this.store.getState();
    const gains: Record<string, number> = {};
    for (const group of song.groups) {
      if (!Object.hasOwn(held, group.id)) continue;
      const matchedDb = this.matchedDb(song, group, mode);
      const unknown = isAsKept(group) ? 1 : (before[group.id] ?? 1);
      gains[group.id] = matchedDb === null ? unknown : dbToGain(db(matchedDb));
    }
    return gains;
  }
}

/** Whether it is the draft that was kept or taken up last, unchanged. */
function isAsKept(group: Group): boolean {
  return group.draft !== null && isGroupDraft(group, group.draft);
}

/** By a fader, and not since a draft was taken up. */
function isLevelMoved(group: Group, before: Group): boolean {
  return (
    group.levelDb !== before.levelDb &&
    group.draft === before.draft &&
    !isAsKept(group) &&
    isSame([group.preparation, group.stage], [before.preparation, before.stage])
  );
}
