import {
  ArrowsOutLineHorizontal,
  MagnifyingGlassMinus,
  MagnifyingGlassPlus,
} from '@phosphor-icons/react';
import { clock } from '@pannet/core/quantities/wording';
import { songFrames } from '@pannet/core/song/song';
import type { Take } from '@pannet/core/takes/take';
import { useEffect, useRef, type KeyboardEvent, type PointerEvent } from 'react';
import { useGesture } from '../controls/use-gesture.ts';
import { useSize } from '../controls/use-size.ts';
import { setLoopBetween } from '../session/loop.ts';
import {
  useOpenSong,
  usePlayback,
  useRate,
  useRecordings,
  useSelectedPart,
  useSelection,
  useSession,
  useTimeView,
} from '../session/open-song.ts';
import { TakeOutline } from '../waves/TakeOutline.tsx';
import { isWhole, panned, rulerMarks, showing, zoomed, type TimeView } from '../waves/time-view.ts';
import { useTimeWheel } from '../waves/use-time-wheel.ts';
import './strip.scss';

/** Shorter than this a drag is a click. */
const clickPixels = 4;
const rulerHeight = 16;
/** What one press of a key or a button shows of what was seen. */
const zoomStep = 0.5;
/** So far up or down the ruler is dragged to show half or twice as much. */
const zoomPixels = 40;

/** The selected part's wave over time: a click goes there, a drag marks the loop; closer down to a sample. */
export function Strip() {
  const open = useOpenSong();
  const frames = useSession(({ shown }) => Math.max(1, songFrames(shown)));
  const { ref, width, height } = useSize<HTMLDivElement>();
  const rate = useRate();
  const second = usePlayback((state) => Math.round(state.frame / rate));
  const view = useTimeView();
  const take = useShownTake();
  const recordings = useRecordings();
  const show = (next: TimeView) =>
    open.view.setState({ view: isWhole(next, frames) ? null : next });
  const seen = view.to - view.from;
  const frameAt = (event: PointerEvent) => {
    const { left } = event.currentTarget.getBoundingClientRect();
    const share = Math.min(1, Math.max(0, (event.clientX - left) / width));
    return Math.min(frames, Math.round(view.from + share * seen));
  };
  useTimeWheel(ref, {
    zoom: (factor, share) => show(zoomed(view, frames, view.from + share * seen, factor)),
    pan: (share) => show(panned(view, frames, share * seen)),
  });
  const { handlers } = useGesture<{ readonly from: number; readonly x: number }>({
    begin: (event) => ({ from: frameAt(event), x: event.clientX }),
    move: (held, event) => {
      if (Math.abs(event.clientX - held.x) < clickPixels) return;
      setLoopBetween(open, held.from, frameAt(event), rate);
    },
    end: (held, event) => {
      if (Math.abs(event.clientX - held.x) < clickPixels) open.playback.seek(held.from);
    },
  });
  /** About the playhead, if that is seen. */
  const zoomBy = (factor: number) => {
    const { frame } = open.playback.store.getState();
    const about = frame >= view.from && frame < view.to ? frame : view.from + seen / 2;
    show(zoomed(view, frames, about, factor));
  };
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey) return;
    switch (event.key) {
      case 'ArrowLeft':
      case 'ArrowRight': {
        const step = event.altKey ? 1 : Math.max(1, Math.min(rate, Math.round(seen / 50)));
        const by = step * (event.shiftKey ? 10 : 1) * (event.key === 'ArrowRight' ? 1 : -1);
        const to = Math.min(frames, Math.max(0, open.playback.store.getState().frame + by));
        open.playback.seek(to);
        show(showing(view, frames, to));
        break;
      }
      case '+':
      case '=':
        zoomBy(zoomStep);
        break;
      case '-':
        zoomBy(1 / zoomStep);
        break;
      case '0':
        open.view.setState({ view: null });
        break;
      case 'PageUp':
      case 'PageDown':
        show(panned(view, frames, (event.key === 'PageDown' ? 0.8 : -0.8) * seen));
        break;
      default:
        return;
    }
    event.preventDefault();
  };

  return (
    <div ref={ref} className="strip">
      <div
        className="strip-wave"
        role="slider"
        tabIndex={0}
        aria-label="Place in the song"
        aria-valuemin={0}
        aria-valuemax={Math.round(frames / rate)}
        aria-valuenow={second}
        aria-valuetext={clock(second)}
        title="Click: go there · drag: loop · wheel, + and −: closer and farther · Shift and wheel: along · 0: all of it"
        {...handlers}
        onKeyDown={onKeyDown}
      >
        {take && width > 0 && (
          <TakeOutline
            key={`${take.recording}:${take.channel}`}
            waves={open.waves}
            recording={recordings[take.recording]}
            take={take}
            rateHz={rate}
            width={width}
            height={height - rulerHeight}
            view={view}
          />
        )}
        <LoopMark view={view} width={width} height={height - rulerHeight} rate={rate} />
      </div>
      <Ruler view={view} width={width} frames={frames} rate={rate} onView={show} />
      <TimeHead view={view} frames={frames} width={width} />
      <span className="strip-zoom">
        <button
          type="button"
          className="btn-tool"
          aria-label="Closer"
          title="Closer (+ while the wave has the focus)"
          onClick={() => zoomBy(zoomStep)}
        >
          <MagnifyingGlassPlus />
        </button>
        <button
          type="button"
          className="btn-tool"
          aria-label="Farther"
          title="Farther (− while the wave has the focus)"
          disabled={isWhole(view, frames)}
          onClick={() => zoomBy(1 / zoomStep)}
        >
          <MagnifyingGlassMinus />
        </button>
        <button
          type="button"
          className="btn-tool"
          aria-label="The whole song"
          title="The whole song (0 while the wave has the focus)"
          disabled={isWhole(view, frames)}
          onClick={() => open.view.setState({ view: null })}
        >
          <ArrowsOutLineHorizontal />
        </button>
      </span>
    </div>
  );
}

/** The take of the selected voice, or the part's first. */
function useShownTake(): Take | null {
  const part = useSelectedPart();
  const { voiceId } = useSelection();
  if (!part) return null;
  const voice = part.image.voices.find(({ id }) => id === voiceId);
  return part.takes[(voice?.take ?? 1) - 1] ?? part.takes[0];
}

interface OverTime {
  readonly view: TimeView;
  readonly width: number;
}

function LoopMark({ view, width, height, rate }: OverTime & { height: number; rate: number }) {
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
        <text x={Math.max(0, left) + 4} y={11} fontSize={11} className="mono">
          loop {clock((loop.end - loop.start) / rate, 2)}
        </text>
      </g>
    </svg>
  );
}

interface RulerProps extends OverTime {
  readonly frames: number;
  readonly rate: number;
  readonly onView: (view: TimeView) => void;
}

/** Dragged sideways it goes along, up it comes closer. */
function Ruler({ view, width, frames, rate, onView }: RulerProps) {
  const seen = view.to - view.from;
  const { handlers } = useGesture<{ x: number; y: number; view: TimeView; about: number }>({
    begin: (event) => {
      const { left } = event.currentTarget.getBoundingClientRect();
      const about = view.from + ((event.clientX - left) / width) * seen;
      return { x: event.clientX, y: event.clientY, view, about };
    },
    move: (held, event) => {
      const factor = 2 ** ((event.clientY - held.y) / zoomPixels);
      const near = zoomed(held.view, frames, held.about, factor);
      const by = ((held.x - event.clientX) / width) * (near.to - near.from);
      onView(panned(near, frames, by));
    },
    end: () => {},
    cancel: ({ view: before }) => onView(before),
  });
  const { seconds, places } = rulerMarks(view, rate, width);
  return (
    <div
      className="strip-ruler"
      data-testid="ruler"
      title="Drag: sideways along, up closer, down farther"
      aria-hidden
      {...handlers}
    >
      {seconds.map((at) => (
        <span
          key={at}
          className="mono"
          style={{ transform: `translateX(${((at * rate - view.from) / seen) * width}px)` }}
        >
          {clock(at, places)}
        </span>
      ))}
    </div>
  );
}

/** Alone, since it moves all the time; what is seen goes with it when it runs out of it. */
function TimeHead({ view, frames, width }: OverTime & { readonly frames: number }) {
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
