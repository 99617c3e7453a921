import { songFrames } from '@pannet/core/song/song';
import { useEffect, useMemo, useRef, useState } from 'react';
import { sentenceOf } from '../api/request.ts';
import type { MeasuredPlaces, PlacesJob } from '../measuring/messages.ts';
import { songKey } from '../measuring/song-key.ts';
import { useOpenSong, usePlayback, useRate, useSong } from '../session/use-open-song.ts';
import { ask, question, wasStopped } from '../workers/ask.ts';

export const placesQuestion = question<PlacesJob, MeasuredPlaces>(
  () => new Worker(new URL('../measuring/places.worker.ts', import.meta.url), { type: 'module' }),
);

export type Places =
  | { readonly kind: 'none' }
  | { readonly kind: 'measuring'; readonly share: number }
  | { readonly kind: 'failed'; readonly sentence: string }
  | {
      readonly kind: 'done';
      readonly places: MeasuredPlaces;
      /** Where its first window begins, in s. */
      readonly fromS: number;
      /** Whether the song was changed since, or another stretch is marked. */
      readonly stale: boolean;
    };

interface Kept {
  readonly songId: string;
  readonly key: string;
  readonly places: MeasuredPlaces;
  readonly fromS: number;
}

/** What was measured last, so that it is there when one comes back. */
let last: Kept | null = null;

/** Where all that sounds lies along the loop, or the whole song; measured when it is asked for. */
export function usePlaces() {
  const { playback } = useOpenSong();
  const song = useSong();
  const rateHz = useRate();
  const loop = usePlayback((state) => (state.looping ? state.loop : null));
  const frames = songFrames(song);
  const from = Math.min(loop?.start ?? 0, frames);
  const to = Math.min(loop?.end ?? frames, frames);
  const key = useMemo(() => `${songKey(song)}/${from}/${to}`, [song, from, to]);
  const [state, setState] = useState<Places | null>(null);
  const working = useRef<AbortController | null>(null);
  useEffect(() => () => working.current?.abort(left), []);
  const measure = () => {
    working.current?.abort(left);
    const stop = new AbortController();
    working.current = stop;
    setState({ kind: 'measuring', share: 0 });
    ask(
      placesQuestion,
      { song, from, to, splices: playback.wholeSplices(song) },
      { signal: stop.signal, progress: (share) => setState({ kind: 'measuring', share }) },
    ).then(
      (places) => {
        last = { songId: song.id, key, places, fromS: from / rateHz };
        setState(null);
      },
      (error: unknown) => {
        if (stop.signal.reason === left) return;
        setState(wasStopped(error) ? null : { kind: 'failed', sentence: sentenceOf(error) });
      },
    );
  };
  const shown: Places =
    state ??
    (last?.songId === song.id
      ? { kind: 'done', ...last, stale: last.key !== key }
      : { kind: 'none' });
  return { state: shown, measure, stop: () => working.current?.abort() };
}

/** Why it is stopped where nobody looks any more. */
const left = new DOMException('Left.', 'AbortError');
