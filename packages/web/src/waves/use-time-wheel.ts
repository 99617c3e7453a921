import { useEffect, type RefObject } from 'react';

export interface WheelOverTime {
  /** @param share where the pointer is, 0 at the left edge and 1 at the right */
  readonly zoom: (factor: number, share: number) => void;
  /** @param share of what is seen */
  readonly pan: (share: number) => void;
  /** Whether the plain wheel scrolls what it is over; closer and farther it goes with Alt then. */
  readonly scrolls?: boolean;
}

/** One notch of a wheel, some 100 pixels, shows a fifth more or less. */
const zoomAPixel = 0.002;

/** The wheel over a drawing of time: closer and farther about the pointer; with Shift, or sideways, along. */
export function useTimeWheel(
  ref: RefObject<Element | null>,
  { zoom, pan, scrolls = false }: WheelOverTime,
): void {
  useEffect(() => {
    const element = ref.current;
    if (!element) return;
    const onWheel = (event: Event) => {
      const { deltaX, deltaY, deltaMode, shiftKey, altKey, ctrlKey, clientX } = event as WheelEvent;
      // That is the browser's own.
      if (ctrlKey) return;
      const sideways = shiftKey || Math.abs(deltaX) > Math.abs(deltaY);
      if (scrolls && !altKey && !sideways) return;
      event.preventDefault();
      const { left, width } = element.getBoundingClientRect();
      const pixels = (delta: number) =>
        deltaMode === WheelEvent.DOM_DELTA_LINE ? 33 * delta : delta;
      const along = pixels(shiftKey ? deltaX + deltaY : deltaX);
      if (sideways) pan(along / width);
      else zoom(Math.exp(pixels(deltaY) * zoomAPixel), (clientX - left) / width);
    };
    // React's own listener may not keep the page from scrolling.
    element.addEventListener('wheel', onWheel, { passive: false });
    return () => element.removeEventListener('wheel', onWheel);
  });
}
