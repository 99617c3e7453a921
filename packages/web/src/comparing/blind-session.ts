import { BlindComparison } from '@pannet/core/comparing/blind';
import { matchLevels } from '@pannet/core/comparing/matching';
import { neutralImage, type Image } from '@pannet/core/image/image';
import { db, dbToGain } from '@pannet/core/quantities/units';
import { draftEdits, withMovesOfImage } from '@pannet/core/song/draft-moves';
import type { Edit } from '@pannet/core/song/edits/edit';
import { mostComparisons, type Part, type Song } from '@pannet/core/song/song';
import { newVoice } from '@pannet/core/voices/voice';
import { createStore } from 'zustand/vanilla';
import { say } from '../controls/notices.ts';
import type { Playback } from '../playback/playback.ts';
import type { SongSession } from '../sync/song-session.ts';
import type { Comparing } from './comparing.ts';

export interface BlindState {
  readonly partId: string;
  readonly first: string;
  readonly second: string;
  /** Which of both is heard. */
  readonly hearing: 'a' | 'b';
  readonly rounds: number;
  readonly firstChosen: number;
  /** Whether the names are shown, and no more is chosen. */
  readonly ended: boolean;
}

/** Plain as an image: what is heard through it does not show that it is plain. */
export function plainImage({ image, plainVoice }: Part): Image {
  const voice = image.voices.find(({ id }) => id === plainVoice);
  const plain = neutralImage();
  if (!voice) return plain;
  const { take, tone, colour, tuner } = voice;
  const timbre = { ...tuner, cents: 0, semitones: 0 };
  return { ...plain, voices: [newVoice('v1', 'centre', { take, tone, colour, tuner: timbre })] };
}

/** What makes a part a state of it, that is heard through its image. Plain stands still. */
export function stateEdits(song: Song, part: Part, state: string): Edit[] {
  let made = 0;
  const newId = () => `blind-${made++}`;
  if (state === 'image') return [{ kind: 'set-image', partId: part.id, image: part.image }];
  if (state !== 'plain') return draftEdits(song, part, state, newId);
  return [
    { kind: 'set-image', partId: part.id, image: plainImage(part) },
    { kind: 'set-moves', moves: [...withMovesOfImage(song, part.id, [], newId)] },
  ];
}

/** A blind comparison that goes on: both states are heard as previews, equally loud, under hidden names. */
export class BlindSession {
  readonly store = createStore<{ readonly blind: BlindState | null }>(() => ({ blind: null }));
  readonly #session: SongSession;
  readonly #playback: Playback;
  readonly #comparing: Comparing;
  #comparison: BlindComparison | null = null;
  #gains: Readonly<Record<string, number>> = {};

  constructor(session: SongSession, playback: Playback, comparing: Comparing) {
    this.#session = session;
    this.#playback = playback;
    this.#comparing = comparing;
  }

  /** @param seed of the order; another one each time */
  begin(part: Part, first: string, second: string, seed: number): void {
    const levels = this.#comparing.levels(part);
    if (!(first in levels) || !(second in levels)) {
      say('Both have to be measured before they can be compared; that takes a moment.');
      return;
    }
    const both = { [first]: levels[first], [second]: levels[second] };
    const { mode } = this.#comparing.store.getState();
    this.#gains = matchLevels(both, levels[first], mode).gainsDb;
    this.#comparison = new BlindComparison(first, second, seed);
    this.#show(part.id, 'a', false);
    this.hear('a');
    if (this.#playback.store.getState().state === 'stopped') void this.#playback.play();
  }

  #show(partId: string, hearing: 'a' | 'b', ended: boolean): void {
    if (!this.#comparison) return;
    const { first, second, rounds, firstChosen } = this.#comparison;
    this.store.setState({ blind: { partId, first, second, hearing, rounds, firstChosen, ended } });
  }

  hear(name: 'a' | 'b'): void {
    const { blind } = this.store.getState();
    if (!blind || blind.ended || !this.#comparison) return;
    const { song } = this.#session.store.getState();
    const part = song.parts[blind.partId] as Part | undefined;
    if (!part) {
      this.close();
      return;
    }
    const state = this.#comparison.round[name];
    this.#session.preview(stateEdits(song, part, state));
    const { monitoring } = this.#playback.store.getState();
    const plain = Object.entries(monitoring.plain).filter(([id]) => id !== part.id);
    this.#playback.listen({
      plain: Object.fromEntries(plain),
      image: { ...monitoring.image, [part.id]: dbToGain(db(this.#gains[state])) },
    });
    this.#show(part.id, name, false);
  }

  /** Takes one as better; the next round is shuffled, and begins with its A. */
  choose(name: 'a' | 'b'): void {
    const { blind } = this.store.getState();
    if (!blind || blind.ended || !this.#comparison) return;
    this.#comparison.choose(name);
    this.#show(blind.partId, 'a', false);
    this.hear('a');
  }

  /** Shows the names and keeps the result in the song. */
  end(at: string): void {
    const { blind } = this.store.getState();
    if (!blind || blind.ended) return;
    this.#silence();
    this.#show(blind.partId, blind.hearing, true);
    if (blind.rounds === 0) return;
    const { comparisons, parts } = this.#session.store.getState().song;
    const { partId, first, second, rounds, firstChosen } = blind;
    const comparison = { id: crypto.randomUUID(), at, partId, first, second, rounds, firstChosen };
    // The oldest one makes room.
    const full = comparisons.length >= mostComparisons;
    const done = this.#session.do(`${parts[partId].name}: compared blind`, [
      ...(full ? [{ kind: 'remove-comparison', id: comparisons[0].id } as const] : []),
      { kind: 'add-comparison', comparison, index: comparisons.length - (full ? 1 : 0) },
    ]);
    if (!done.ok) say(done.error.sentence);
  }

  #silence(): void {
    const { blind } = this.store.getState();
    this.#session.endPreview();
    const { image } = this.#playback.store.getState().monitoring;
    const others = Object.entries(image).filter(([id]) => id !== blind?.partId);
    this.#playback.listen({ image: Object.fromEntries(others) });
  }

  /** Leaves without a result. */
  close(): void {
    if (!this.store.getState().blind) return;
    this.#silence();
    this.#comparison = null;
    this.store.setState({ blind: null });
  }
}
