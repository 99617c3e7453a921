import { matchLevels, type Matching, type MatchMode } from '@pannet/core/comparing/matching';
import { imageLevel, type Level } from '@pannet/core/findings/part-figures';
import { isDraft } from '@pannet/core/song/draft-moves';
import type { Part, Song } from '@pannet/core/song/song';
import { createStore } from 'zustand/vanilla';
import { measuredId, type Analyst } from '../measuring/analyst.ts';

export interface ComparingState {
  readonly mode: MatchMode;
  /** By part: the level that is held since its comparison began. */
  readonly held: Readonly<Record<string, Level>>;
}

/** States of one part at equal loudness. */
export interface MatchedPart extends Matching {
  /** What is heard of the part: “plain”, “image” or the number of a draft. */
  readonly shown: string;
}

/**
 * Who is compared is equally loud. The level of what was heard when a comparison began is held until it is let go: while
 * plain, the image and drafts are gone through, and while they are changed.
 */
export class Comparing {
  readonly store = createStore<ComparingState>(() => ({ mode: 'heard', held: {} }));
  readonly #analyst: Analyst;
  /** Parts whose comparison has begun, but whose level is not known yet. */
  readonly #awaited = new Set<string>();
  /** Of the song that is followed: a draft is kept with its own. */
  #moves: Song['moves'] = [];

  constructor(analyst: Analyst) {
    this.#analyst = analyst;
  }

  setMode(mode: MatchMode): void {
    this.store.setState({ mode });
  }

  /** Begins a comparison of a part, if there is none: as soon as its level is known as it is now. */
  hold(part: Part): void {
    const { held } = this.store.getState();
    if (part.id in held) return;
    if (!this.#analyst.isCurrent(part.id)) {
      this.#awaited.add(part.id);
      return;
    }
    this.#awaited.delete(part.id);
    const level = this.levels(part).image;
    this.store.setState({ held: { ...held, [part.id]: level } });
  }

  /** Begins what waited for its level. */
  catchUp(song: Song): void {
    for (const partId of this.#awaited)
      if (this.#analyst.isCurrent(partId)) this.hold(song.parts[partId]);
  }

  release(partId: string): void {
    this.#awaited.delete(partId);
    const { [partId]: _, ...held } = this.store.getState().held;
    this.store.setState({ held });
  }

  #stateOf(part: Part): string {
    return imageState({ moves: this.#moves }, part);
  }

  /** Drops what belongs to parts that are gone. */
  follow(song: Song): void {
    this.#moves = song.moves;
    for (const partId of [...Object.keys(this.store.getState().held), ...this.#awaited])
      if (!song.parts[partId]) this.release(partId);
  }

  /** What each state of a part is to be raised by; null while plain and image are not measured. */
  matching(part: Part): MatchedPart | null {
    const levels = this.levels(part);
    const state = this.#stateOf(part);
    // A draft that is not measured yet is the image, too.
    const shown = state in levels ? state : 'image';
    if (!(shown in levels)) return null;
    const now = levels[shown];
    const { mode, held } = this.store.getState();
    const goal = part.id in held ? held[part.id] : now;
    return { ...matchLevels(levels, goal, mode), shown };
  }

  /** The levels that are known, of plain, the image and the drafts. */
  levels(part: Part): Record<string, Level> {
    const { parts } = this.#analyst.store.getState();
    const levels: Record<string, Level> = {};
    const image = parts[part.id];
    if (image) {
      levels.plain = image.measured.plain;
      levels.image = imageLevel(image.measured);
    }
    for (const draft of Object.keys(part.drafts)) {
      const measures = parts[measuredId(part.id, draft)];
      if (measures) levels[draft] = imageLevel(measures.measured);
    }
    // The image is measured first: a draft that it is has no other level.
    const state = this.#stateOf(part);
    if (image && state !== 'image') levels[state] = levels.image;
    return levels;
  }
}

/** The draft that the image is, as it was kept, its moves with it, or “image”. */
export function imageState(song: Pick<Song, 'moves'>, part: Part): string {
  const { draft } = part;
  return draft !== null && Object.hasOwn(part.drafts, draft) && isDraft(song, part, draft)
    ? draft
    : 'image';
}
