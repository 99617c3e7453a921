import { useEffect, useState } from 'react';
import { createStore, useStore } from 'zustand';
import { needsStretch } from './draw-wave.ts';
import type { TimeView } from './time-view.ts';
import type { Outline, Stretch, WaveOf, Waves } from './waves.ts';

const none = createStore<Outline>(() => ({ ends: null, failure: null }));

/** @param of null while none is needed */
export function useOutline(waves: Waves, of: WaveOf | null): Outline {
  return useStore(of ? waves.outlineOf(of) : none);
}

/**
 * Samples of what is seen of a recording, where it is seen from so near that they are needed; null while it is not, or until they
 * have come.
 * @param offset frames by which the recording lies later than the song
 */
export function useStretch(
  waves: Waves,
  { recording, channel }: WaveOf,
  view: TimeView,
  width: number,
  offset = 0,
): Stretch | null {
  const [come, setCome] = useState<{ readonly key: string; readonly stretch: Stretch } | null>(
    null,
  );
  const near = needsStretch(view, width);
  // In steps of half a view, so that what is panned to is often there already.
  const span = 2 ** Math.ceil(Math.log2(view.to - view.from));
  const from = Math.floor((2 * view.from) / span) * (span / 2);
  const to = from + 1.5 * span;
  const key = `${recording.hash}:${channel}:${from - offset}:${to - offset}`;
  useEffect(() => {
    if (!near) return;
    let left = false;
    waves.stretchOf({ recording, channel }, from - offset, to - offset).then(
      (stretch) => !left && setCome({ key, stretch }),
      // The outline stays; what failed is tried again with the next step.
      () => {},
    );
    return () => {
      left = true;
    };
    // All that it depends on is in the key.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [waves, near, key]);
  if (!near || !come?.key.startsWith(`${recording.hash}:${channel}:`)) return null;
  // The one before does until the next has come, if it reaches so far.
  const { stretch } = come;
  const end = Math.min(recording.frames, Math.ceil(view.to - offset));
  const covered =
    stretch.from <= Math.max(0, view.from - offset) && stretch.from + stretch.samples.length >= end;
  return covered ? stretch : null;
}
