import { useEffect, useState } from 'react';
import { useOpenSong } from '../session/use-open-song.ts';
import type { TimeView } from '../waves/time-view.ts';

/** It rests when it has not been moved for so long. */
const restMs = 100;

/**
 * What of the song is drawn, for what need not be right while a zoom goes on: as it was when it last came to rest. While it plays a view that follows
 * never rests; it is looked at as often then.
 * @param seen while it is not, what was last stays
 */
export function useRestedView(seen: boolean): TimeView {
  const { timeView, playback } = useOpenSong();
  const [view, setView] = useState(() => timeView.getState());
  useEffect(() => {
    if (!seen) return;
    let timer: ReturnType<typeof setTimeout> | null = null;
    const settle = () => {
      timer = null;
      setView(timeView.getState());
    };
    const soon = () => {
      if (timer !== null) {
        if (playback.store.getState().state !== 'stopped') return;
        clearTimeout(timer);
      }
      timer = setTimeout(settle, restMs);
    };
    settle();
    const stop = timeView.subscribe(soon);
    return () => {
      stop();
      if (timer !== null) clearTimeout(timer);
    };
  }, [seen, timeView, playback]);
  return view;
}
