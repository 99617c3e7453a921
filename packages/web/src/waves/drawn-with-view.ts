import type { StoreApi } from 'zustand/vanilla';
import type { TimeView } from './time-view.ts';

/**
 * Draws what is shown of the song now, and again when another stretch of it is. Many lanes would be rendered for each step of a zoom otherwise.
 * @param draw `again` may be called when there is more to draw, also later
 * @returns ends it
 */
export function drawnWithView(
  timeView: StoreApi<TimeView>,
  draw: (view: TimeView, again: () => void) => void,
): () => void {
  let left = false;
  // Several steps at once are one.
  let waiting = false;
  const soon = () => {
    if (waiting) return;
    waiting = true;
    queueMicrotask(() => {
      waiting = false;
      if (!left) draw(timeView.getState(), soon);
    });
  };
  draw(timeView.getState(), soon);
  const stop = timeView.subscribe(soon);
  return () => {
    left = true;
    stop();
  };
}
