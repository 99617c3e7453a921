import { usualTempo, type Tempo } from '@pannet/core/moves/tempo';
import { rateOf, type Part, type Song } from '@pannet/core/song/song';
import { createContext, useContext } from 'react';
import { useStore } from 'zustand';
import type { AnalystState, PartMeasures } from '../measuring/analyst.ts';
import type { Trial } from '../measuring/audition.ts';
import type { PlaybackState } from '../playback/playback.ts';
import type { SessionState } from '../sync/session-state.ts';
import type { TimeView } from '../waves/time-view.ts';
import type { OpenSong, Selection } from './open-song.ts';

export const OpenSongContext = createContext<OpenSong | null>(null);

export function useOpenSong(): OpenSong {
  const open = useContext(OpenSongContext);
  if (!open) throw new Error('There is no open song here.');
  return open;
}

export function useSession<Slice>(pick: (state: SessionState) => Slice): Slice {
  return useStore(useOpenSong().session.store, pick);
}

/** The song as it is seen and heard, an unfinished gesture included: for what shows all of it. Others take their slice. */
export function useSong(): Song {
  return useSession((state) => state.shown);
}

export function useRate(): number {
  return useSession((state) => rateOf(state.shown));
}

export function usePanLaw(): Song['panLaw'] {
  return useSession((state) => state.shown.panLaw);
}

export function useRecordings(): Song['recordings'] {
  return useSession((state) => state.shown.recordings);
}

export function usePlayback<Slice>(pick: (state: PlaybackState) => Slice): Slice {
  return useStore(useOpenSong().playback.store, pick);
}

export function useAnalyst<Slice>(pick: (state: AnalystState) => Slice): Slice {
  return useStore(useOpenSong().analyst.store, pick);
}

/** Whether measuring a part was stopped or has failed: no figures come until it is changed or asked for again. */
export function useIsLeft(partId: string): boolean {
  return useAnalyst(({ left }) => left.includes(partId));
}

export function useSelection(): Selection {
  return useStore(useOpenSong().selection);
}

/** What of the song is drawn over time. */
export function useTimeView(): TimeView {
  return useStore(useOpenSong().timeView);
}

/** The tempo by which rulers go; null while they go by time. */
export function useBars(): Tempo | null {
  const bars = useStore(useOpenSong().view, (state) => state.bars);
  const tempo = useSession(({ shown }) => shown.tempo);
  return bars ? (tempo ?? usualTempo) : null;
}

export function useSelectedPart(): Part | null {
  const { partId } = useSelection();
  return useSession(({ shown }) => (partId !== null && shown.parts[partId]) || null);
}

export function useSelectedMeasures(): PartMeasures | null {
  const { partId } = useSelection();
  return useAnalyst((state) => (partId === null ? null : (state.parts[partId] ?? null)));
}

/** What is heard tried of the selected part, and what it was before; null while nothing is. */
export function useTrial(): { readonly trial: Trial; readonly kept: PartMeasures | null } | null {
  const open = useOpenSong();
  const { partId } = useSelection();
  const trial = useStore(open.audition.store, (state) => state.trial);
  const song = useSession((state) => state.song);
  useAnalyst((state) => state.parts);
  if (!trial || trial.partId !== partId || trial.matchedDb === null) return null;
  return { trial, kept: open.analyst.knownOf(song, trial.partId) };
}
