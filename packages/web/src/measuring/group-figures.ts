import { imageLevel, type Level } from '@pannet/core/findings/part-figures';
import { groupContentKey } from '@pannet/core/song/content-key';
import { recalledGroupDraft } from '@pannet/core/song/groups';
import { roots } from '@pannet/core/rendering/plan';
import type { Loop } from '@pannet/core/rendering/player';
import { songFrames, type Group, type Song } from '@pannet/core/song/song';
import { createStore } from 'zustand/vanilla';
import type { KnownSplices } from '../playback/known-splices.ts';
import { ask, question, wasStopped } from '../workers/ask.ts';
import type { MeasuredFile, SongJob } from './messages.ts';

export const songMeasurer = question<SongJob, MeasuredFile>(
  () => new Worker(new URL('./song.worker.ts', import.meta.url), { type: 'module' }),
);

export interface GroupMeasures {
  readonly file: MeasuredFile;
  /** Whether it has been changed since, or another stretch is asked for. */
  readonly current: boolean;
}

interface GroupFiguresState {
  /** By the group's id. */
  readonly groups: Readonly<Record<string, GroupMeasures>>;
  readonly busy: { readonly groupId: string; readonly share: number } | null;
  /** Why one could not be measured. */
  readonly failure: string | null;
}

/** A group in one of its states, and the song that it is so in. */
export interface GroupState {
  readonly song: Song;
  readonly group: Group;
}

/** A group as each of its drafts, by their numbers. */
export function groupDrafts(song: Song, group: Group): Map<string, GroupState> {
  return new Map(
    Object.keys(group.drafts).map((number) => {
      const groups = recalledGroupDraft(song, group, number);
      const draft = groups.find(({ id }) => id === group.id) ?? group;
      return [number, { song: { ...song, groups }, group: draft }];
    }),
  );
}

/** A change is measured when it has stood for so long: parts are measured before. */
const patienceMs = 1200;
/** So many figures are kept by their content, beside those that are wanted. */
const mostKnown = 60;

/**
 * Keeps the figures of all groups up to date, one after another, over the loop or the whole song, as long as nothing plays; then those of their drafts, so
 * that these can be compared. What was measured once is kept by its content.
 */
export class GroupFigures {
  readonly store = createStore<GroupFiguresState>(() => ({
    groups: {},
    busy: null,
    failure: null,
  }));
  readonly #splices: (song: Song) => KnownSplices;
  readonly #known = new Map<string, MeasuredFile>();
  #song: Song | null = null;
  #loop: Loop | null = null;
  #playing = false;
  /** What else is wanted: states that drafts are compared with. */
  #more: readonly GroupState[] = [];
  #measuring: AbortController | null = null;
  #timer: ReturnType<typeof setTimeout> | undefined;
  /** What could not be measured is not tried again unchanged. */
  readonly #failed = new Set<string>();

  /** @param splices those that were planned already */
  constructor(splices: (song: Song) => KnownSplices = () => []) {
    this.#splices = splices;
  }

  /** @param loop the stretch that is measured, or null for all of the song */
  update(song: Song, loop: Loop | null): void {
    this.#song = song;
    this.#loop = loop;
    const { groups } = this.store.getState();
    const next: Record<string, GroupMeasures> = {};
    for (const group of song.groups) {
      const known = this.#known.get(this.#keyOf({ song, group }));
      const before = Object.hasOwn(groups, group.id) ? groups[group.id] : null;
      if (known) next[group.id] = { file: known, current: true };
      else if (before) next[group.id] = { file: before.file, current: false };
    }
    this.store.setState({ groups: next });
    this.#begin();
  }

  /** Measures these states, too, after the groups as they are. */
  want(more: readonly GroupState[]): void {
    this.#more = more;
    this.#begin();
  }

  /** How loud a group is in a state, over the stretch that is measured; null where that is not known. */
  levelOf(state: GroupState): Level | null {
    const known = this.#known.get(this.#keyOf(state));
    return known ? imageLevel(known) : null;
  }

  setPlaying(playing: boolean): void {
    if (this.#playing === playing) return;
    this.#playing = playing;
    this.#begin();
  }

  /** The next one that has no figures, once nothing has changed for a while. */
  #begin(): void {
    this.stop();
    if (this.#playing) return;
    this.#timer = setTimeout(() => {
      const next = this.#wanted().find((state) => this.#isMissing(state));
      if (next) this.#measure(next);
    }, patienceMs);
  }

  /** All states that figures are wanted of, the first ones first. */
  #wanted(): GroupState[] {
    const song = this.#song;
    if (!song) return [];
    return [
      ...song.groups.map((group) => ({ song, group })),
      ...this.#more,
      ...song.groups.flatMap((group) => [...groupDrafts(song, group).values()]),
    ];
  }

  #isMissing(state: GroupState): boolean {
    const key = this.#keyOf(state);
    return !this.#known.has(key) && !this.#failed.has(key);
  }

  #measure(state: GroupState): void {
    const { song } = state;
    const key = this.#keyOf(state);
    const { from, to } = this.#stretch(song);
    if (to <= from) return;
    const measuring = new AbortController();
    this.#measuring = measuring;
    const groupId = state.group.id;
    this.store.setState({ busy: { groupId, share: 0 } });
    ask(
      songMeasurer,
      { song, root: roots.group(groupId), from, to, splices: this.#splices(song) },
      {
        signal: measuring.signal,
        progress: (share) => this.store.setState({ busy: { groupId, share } }),
      },
    ).then(
      (file) => {
        this.#forget();
        this.#known.set(key, file);
        this.store.setState({ failure: null });
        if (this.#song) this.update(this.#song, this.#loop);
      },
      (error: unknown) => {
        if (wasStopped(error)) return;
        this.#failed.add(key);
        this.store.setState({ failure: error instanceof Error ? error.message : String(error) });
        this.#begin();
      },
    );
  }

  /** Lets go of what is not wanted any more, where there is much of it. */
  #forget(): void {
    if (this.#known.size < mostKnown) return;
    const wanted = new Set(this.#wanted().map((state) => this.#keyOf(state)));
    for (const key of this.#known.keys()) if (!wanted.has(key)) this.#known.delete(key);
  }

  #stretch(song: Song): { readonly from: number; readonly to: number } {
    const frames = songFrames(song);
    return {
      from: Math.min(this.#loop?.start ?? 0, frames),
      to: Math.min(this.#loop?.end ?? frames, frames),
    };
  }

  #keyOf({ song, group }: GroupState): string {
    const { from, to } = this.#stretch(song);
    return `${groupContentKey(song, group)} ${from} ${to}`;
  }

  stop(): void {
    clearTimeout(this.#timer);
    this.#measuring?.abort();
    this.#measuring = null;
    if (this.store.getState().busy) this.store.setState({ busy: null });
  }

  close(): void {
    this.stop();
    this.#song = null;
  }
}
