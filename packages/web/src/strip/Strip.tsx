import {
  ArrowsOutLineHorizontal,
  MagnifyingGlassMinus,
  MagnifyingGlassPlus,
} from '@phosphor-icons/react';
import { clock } from '@pannet/core/quantities/wording';
import { songFrames } from '@pannet/core/song/song';
import type { Take } from '@pannet/core/takes/take';
import { useEffect, useRef, type KeyboardEvent } from 'react';
import { styleOf } from '../controls/inks.ts';
import { sharpContext } from '../controls/sharp-context.ts';
import { useGesture } from '../controls/use-gesture.ts';
import { useSize } from '../controls/use-size.ts';
import {
  useBars,
  useOpenSong,
  usePlayback,
  useRate,
  useRecordings,
  useSelectedPart,
  useSelection,
  useSession,
  useTimeView,
} from '../session/use-open-song.ts';
import { barMarks } from '../waves/bar-marks.ts';
import { TakeOutline } from '../waves/TakeOutline.tsx';
import { isWhole, panned, rulerMarks, showing, zoomed, type TimeView } from '../waves/time-view.ts';
import { useTimeWheel } from '../waves/use-time-wheel.ts';
import { LoopMark, TimeHead, useSeekAndLoop } from './over-time.tsx';
import './strip.scss';

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
  useTimeWheel(ref, {
    zoom: (factor, share) => show(zoomed(view, frames, view.from + share * seen, factor)),
    pan: (share) => show(panned(view, frames, share * seen)),
  });
  const handlers = useSeekAndLoop(width, frames);
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
            timeView={open.timeView}
            recording={recordings[take.recording]}
            take={take}
            rateHz={rate}
            width={width}
            height={height - rulerHeight}
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

interface RulerProps {
  readonly view: TimeView;
  readonly width: number;
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
  const tempo = useBars();
  const marks = tempo ? barMarks(view, rate, width, tempo) : timeMarks(view, rate, width);
  const canvas = useRef<HTMLCanvasElement>(null);
  // Drawn, and not laid out as text: that would take most of each step of a zoom.
  useEffect(() => {
    const context = sharpContext(canvas.current, width, rulerHeight - 1);
    if (!context) return;
    context.font = `11px ${styleOf('--mono')}`;
    context.fillStyle = styleOf('--quiet');
    for (const { atS, label } of marks) {
      const x = Math.round(((atS * rate - view.from) / seen) * width);
      context.fillRect(x, 0, 1, rulerHeight);
      context.fillText(label, x + 4, 11);
    }
  });
  return (
    <div
      className="strip-ruler"
      data-testid="ruler"
      data-marks={marks.map(({ label }) => label).join(' ')}
      title="Drag: sideways along, up closer, down farther"
      aria-hidden
      {...handlers}
    >
      <canvas ref={canvas} style={{ width, height: rulerHeight - 1 }} />
    </div>
  );
}

/** A ruler's marks in minutes and seconds. */
function timeMarks(view: TimeView, rate: number, width: number) {
  const { seconds, places } = rulerMarks(view, rate, width);
  return seconds.map((atS) => ({ atS, label: clock(atS, places) }));
}
