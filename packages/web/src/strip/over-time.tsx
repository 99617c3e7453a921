import { clock } from '@pannet/core/quantities/wording';
import { useEffect, useRef, type PointerEvent } from 'react';
import { useGesture } from '../controls/use-gesture.ts';
import { setLoopBetween } from '../session/loop.ts';
import { useOpenSong, usePlayback, useRate } from '../session/use-open-song.ts';
import { isWhole, showing, type TimeView } from '../waves/time-view.ts';

/** What lies over a drawing of time. */
export interface OverTime {
  readonly view: TimeView;
  readonly width: number;
}

interface LoopProps extends OverTime {
  readonly height: number;
  readonly rate: number;
  /** Without how long it is. */
  readonly plain?: boolean;
}

export function LoopMark({ view, width, height, rate, plain = false }: LoopProps) {
  const loop = usePlayback((state) => state.loop);
  const looping = usePlayback((state) => state.looping);
  if (!loop || loop.end < view.from || loop.start > view.to) return null;
  // What is far outside would be too far for a drawing to say.
  const x = (frame: number) =>
    Math.min(2 * width, Math.max(-width, ((frame - view.from) / (view.to - view.from)) * width));
  const [left, right] = [x(loop.start), x(loop.end)];
  return (
    <svg width={width} height={height} aria-hidden>
      <g opacity={looping ? 1 : 0.45}>
        <rect
          x={left}
          width={right - left}
          y={0}
          height={height}
          fill="var(--ink)"
          opacity={0.08}
        />
        <path
          d={`M${left} 0v${height}M${right} 0v${height}`}
          stroke="var(--ink)"
          strokeDasharray="3 2"
        />
        {!plain && (
          <text x={Math.max(0, left) + 4} y={11} fontSize={11} className="mono">
            loop {clock((loop.end - loop.start) / rate, 2)}
          </text>
        )}
      </g>
    </svg>
  );
}

/** Alone, since it moves all the time; what is seen goes with it when it runs out of it. */
export function TimeHead({ view, frames, width }: OverTime & { readonly frames: number }) {
  const open = useOpenSong();
  const frame = usePlayback((state) => state.frame);
  const playing = usePlayback((state) => state.state !== 'stopped');
  const before = useRef(frame);
  useEffect(() => {
    const wasSeen = before.current >= view.from && before.current < view.to;
    before.current = frame;
    if (playing && wasSeen && !isWhole(view, frames) && (frame < view.from || frame >= view.to))
      open.view.setState({ view: showing(view, frames, frame) });
  }, [open, frame, playing, view, frames]);
  const x = ((frame - view.from) / (view.to - view.from)) * width;
  if (x < 0 || x > width) return null;
  return <div className="time-head" style={{ transform: `translateX(${x}px)` }} />;
}

/** Shorter than this a drag is a click. */
const clickPixels = 4;

/**
 * Over a drawing of time: a click goes there, a drag marks the loop.
 * @param pressed what a press does first; false where that is all
 */
export function useSeekAndLoop(
  width: number,
  frames: number,
  pressed?: (event: PointerEvent) => boolean,
) {
  const open = useOpenSong();
  const rate = useRate();
  const frameAt = (event: PointerEvent) => {
    const { left } = event.currentTarget.getBoundingClientRect();
    const share = Math.min(1, Math.max(0, (event.clientX - left) / width));
    const { from, to } = open.timeView.getState();
    return Math.min(frames, Math.round(from + share * (to - from)));
  };
  const { handlers } = useGesture<{ readonly from: number; readonly x: number }>({
    begin: (event) => {
      if (pressed?.(event) === false) return null;
      return { from: frameAt(event), x: event.clientX };
    },
    move: (held, event) => {
      if (Math.abs(event.clientX - held.x) < clickPixels) return;
      setLoopBetween(open, held.from, frameAt(event), rate);
    },
    end: (held, event) => {
      if (Math.abs(event.clientX - held.x) < clickPixels) open.playback.seek(held.from);
    },
  });
  return handlers;
}
