import type { Image } from '@pannet/core/image/image';
import type { Edit } from '@pannet/core/song/edits';
import type { Part, Song } from '@pannet/core/song/song';
import { createContext, useContext } from 'react';
import { useStore } from 'zustand';
import { createStore, type StoreApi } from 'zustand/vanilla';
import { Analyst, type AnalystState, type PartMeasures } from '../measuring/analyst.ts';
import { say } from '../controls/notices.ts';
import { Audition } from '../measuring/audition.ts';
import { Playback, type PlaybackState } from '../playback/playback.ts';
import type { SongSession, SessionState } from '../sync/song-session.ts';

export interface Selection {
  /** The part that is looked at, and any others that a recipe or an export goes to as well. */
  readonly partId: string | null;
  readonly partIds: readonly string[];
  readonly voiceId: string | null;
  /** Voices that are edited together with it. */
  readonly voiceIds: readonly string[];
}

/** A song that is open in this window: its document, its sound, its figures, and what is selected. */
export class OpenSong {
  readonly session: SongSession;
  readonly playback = new Playback();
  readonly analyst = new Analyst(() => this.playback.wholeSplices());
  readonly audition: Audition;
  readonly selection: StoreApi<Selection>;
  readonly #ends: (() => void)[] = [];

  /** @param addressed the part that the address names; the first one if there is no such part */
  constructor(session: SongSession, addressed: string | undefined) {
    this.session = session;
    this.audition = new Audition(session, this.playback);
    const { song } = session.store.getState();
    const first = addressed && song.parts[addressed] ? addressed : (song.partOrder[0] ?? null);
    this.selection = createStore<Selection>(() => ({
      partId: first,
      partIds: first ? [first] : [],
      voiceId: null,
      voiceIds: [],
    }));
    this.#ends.push(
      session.store.subscribe((state, before) => {
        if (state.shown !== before.shown) this.playback.setSong(state.shown);
        if (state.song !== before.song) this.#follow(state.song);
      }),
      this.selection.subscribe((selection, before) => {
        if (selection.partId === before.partId) return;
        this.audition.drop();
        // Voices of another part bear the same ids.
        if (selection.voiceIds.length > 0) this.selection.setState({ voiceIds: [] });
        this.#follow(session.store.getState().song);
      }),
      this.playback.store.subscribe((state, before) => {
        if (state.looping !== before.looping || state.loop !== before.loop) this.#measure();
        this.analyst.setPlaying(state.state !== 'stopped');
      }),
      this.analyst.store.subscribe(() => this.#matchPlain()),
    );
    // For the console and for the tests: what is open, and what plays.
    Object.assign(globalThis, { pannet: this });
    this.playback.setSong(session.store.getState().song);
    this.#follow(session.store.getState().song);
  }

  /** Selection and figures go with the song. */
  #follow(song: Song): void {
    const { partId, partIds } = this.selection.getState();
    const kept = partIds.filter((id) => song.parts[id]);
    if (partId === null || !song.parts[partId]) {
      const next = kept[0] ?? song.partOrder[0] ?? null;
      this.selection.setState({
        partId: next,
        partIds: next ? [next] : [],
        voiceId: null,
        voiceIds: [],
      });
    } else if (kept.length !== partIds.length) {
      this.selection.setState({ partIds: kept });
    }
    this.playback.watch(this.selection.getState().partId);
    this.#measure();
  }

  #measure(): void {
    const { looping, loop } = this.playback.store.getState();
    this.analyst.update(
      this.session.store.getState().song,
      this.selection.getState().partId,
      looping ? loop : null,
    );
  }

  /** Parts that are heard plain are held at the loudness of their images. */
  #matchPlain(): void {
    const { plain } = this.playback.store.getState().monitoring;
    const matched = Object.fromEntries(Object.keys(plain).map((id) => [id, this.#matchGain(id)]));
    if (Object.keys(plain).some((id) => matched[id] !== plain[id]))
      this.playback.listen({ plain: matched });
  }

  #matchGain(partId: string): number {
    const match = this.analyst.matchDb(partId);
    return match === null ? 1 : 10 ** (match / 20);
  }

  /** @param together whether the voices that were selected stay selected with it */
  selectVoice(voiceId: string | null, together = false): void {
    const { voiceIds } = this.selection.getState();
    if (voiceId === null) this.selection.setState({ voiceId, voiceIds: [] });
    else if (!together) this.selection.setState({ voiceId, voiceIds: [voiceId] });
    else if (voiceIds.includes(voiceId))
      this.selection.setState({ voiceIds: voiceIds.filter((id) => id !== voiceId) });
    else this.selection.setState({ voiceId, voiceIds: [...voiceIds, voiceId] });
  }

  /** Turns the selected parts from image to plain or back, together. */
  togglePlain(): void {
    const { plain } = this.playback.store.getState().monitoring;
    const { partId, partIds } = this.selection.getState();
    if (partId === null) return;
    const toPlain = plain[partId] === undefined;
    const others = Object.entries(plain).filter(([id]) => !partIds.includes(id));
    const these = toPlain ? partIds.map((id) => [id, this.#matchGain(id)] as const) : [];
    this.playback.listen({ plain: Object.fromEntries([...others, ...these]) });
  }

  /** Keeps the image of the looked-at part under a number key, or takes up what was kept there; one step each. */
  keepDraft(number: string): void {
    const part = this.#selectedPart();
    if (!part) return;
    this.do(`${part.name}: keep draft ${number}`, [
      { kind: 'set-draft', partId: part.id, number, image: part.image },
      { kind: 'choose-draft', partId: part.id, number },
    ]);
  }

  /** An empty number keeps what is there. */
  recallDraft(number: string): void {
    const part = this.#selectedPart();
    if (!part) return;
    const draft = part.drafts[number] as Image | undefined;
    if (!draft) {
      this.keepDraft(number);
      return;
    }
    this.do(`${part.name}: draft ${number}`, [
      { kind: 'set-image', partId: part.id, image: draft },
      { kind: 'choose-draft', partId: part.id, number },
    ]);
    this.selectVoice(null);
  }

  #selectedPart(): Part | null {
    const { partId } = this.selection.getState();
    return (partId !== null && this.session.store.getState().song.parts[partId]) || null;
  }

  /** One step of work; a refusal is said and changes nothing. */
  do(name: string, edits: readonly Edit[]): boolean {
    const done = this.session.do(name, edits);
    if (!done.ok) say(done.error.sentence);
    return done.ok;
  }

  preview(edits: readonly Edit[]): void {
    this.session.preview(edits);
  }

  close(): void {
    for (const end of this.#ends) end();
    this.audition.close();
    this.session.close();
    this.playback.close();
    this.analyst.close();
  }
}

export const OpenSongContext = createContext<OpenSong | null>(null);

export function useOpenSong(): OpenSong {
  const open = useContext(OpenSongContext);
  if (!open) throw new Error('There is no open song here.');
  return open;
}

export function useSession<Slice>(pick: (state: SessionState) => Slice): Slice {
  return useStore(useOpenSong().session.store, pick);
}

/** The song as it is seen and heard, an unfinished gesture included. */
export function useSong(): Song {
  return useSession((state) => state.shown);
}

export function usePlayback<Slice>(pick: (state: PlaybackState) => Slice): Slice {
  return useStore(useOpenSong().playback.store, pick);
}

export function useAnalyst<Slice>(pick: (state: AnalystState) => Slice): Slice {
  return useStore(useOpenSong().analyst.store, pick);
}

export function useSelection(): Selection {
  return useStore(useOpenSong().selection);
}

export function useSelectedPart(): Part | null {
  const song = useSong();
  const { partId } = useSelection();
  return (partId !== null && song.parts[partId]) || null;
}

export function useSelectedMeasures(): PartMeasures | null {
  const { partId } = useSelection();
  return useAnalyst((state) => (partId === null ? null : (state.parts[partId] ?? null)));
}
