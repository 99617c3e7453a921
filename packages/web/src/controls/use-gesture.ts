import { useRef, type PointerEvent } from 'react';

/** A gesture by pointer: what is held from its beginning, and what becomes of it. */
export interface Gesture<Held, On extends Element = Element> {
  /** What is held while it lasts; null where it does not begin. */
  readonly begin: (event: PointerEvent<On>) => Held | null;
  readonly move: (held: Held, event: PointerEvent<On>) => void;
  /** Let go: what was shown is kept. */
  readonly end: (held: Held, event: PointerEvent<On>) => void;
  /** The pointer was taken away, or Escape pressed: nothing has happened. */
  readonly cancel?: (held: Held) => void;
}

/**
 * The handlers of an element that is dragged. The pointer belongs to it until it is let go, wherever it is; only the first one
 * of several counts.
 */
export function useGesture<Held, On extends Element = Element>(gesture: Gesture<Held, On>) {
  const held = useRef<{ readonly pointer: number; readonly what: Held } | null>(null);
  const drop = () => {
    const what = held.current?.what;
    held.current = null;
    return what;
  };
  return {
    /** Ends it without keeping anything; says whether there was one. */
    cancel: (): boolean => {
      const was = held.current !== null;
      const what = drop();
      if (was) gesture.cancel?.(what as Held);
      return was;
    },
    handlers: {
      onPointerDown: (event: PointerEvent<On>) => {
        if (held.current || event.button > 0) return;
        const what = gesture.begin(event);
        if (what === null) return;
        event.currentTarget.setPointerCapture(event.pointerId);
        held.current = { pointer: event.pointerId, what };
      },
      onPointerMove: (event: PointerEvent<On>) => {
        if (held.current?.pointer === event.pointerId) gesture.move(held.current.what, event);
      },
      onPointerUp: (event: PointerEvent<On>) => {
        if (held.current?.pointer === event.pointerId) gesture.end(drop() as Held, event);
      },
      onPointerCancel: (event: PointerEvent<On>) => {
        if (held.current?.pointer === event.pointerId) gesture.cancel?.(drop() as Held);
      },
    },
  };
}
