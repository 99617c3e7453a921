import { clock } from '@pannet/core/quantities/wording';
import { songFrames } from '@pannet/core/song/song';
import { useEffect, useRef, useState, type PointerEvent } from 'react';
import { useGesture } from '../controls/use-gesture.ts';
import { setLoopBetween } from '../session/loop.ts';
import { say } from '../controls/notices.ts';
import { sharpContext } from '../controls/sharp-context.ts';
import { useSize } from '../controls/use-size.ts';
import {
  useOpenSong,
  usePlayback,
  useRate,
  useRecordings,
  useSelectedPart,
  useSession,
} from '../session/open-song.ts';
import type { Peaks, PeaksJob } from './peaks.worker.ts';
import './strip.scss';

/** Shorter than this a drag is a click. */
const clickPixels = 4;
const columns = 1200;

/** The selected part's wave over the whole song: a click goes there, a drag marks the loop. */
export function Strip() {
  const open = useOpenSong();
  const songLength = useSession(({ shown }) => songFrames(shown));
  const recordings = useRecordings();
  const part = useSelectedPart();
  const peaks = usePeaks();
  const { ref, width, height } = useSize<HTMLDivElement>();
  const canvas = useRef<HTMLCanvasElement>(null);
  const loop = usePlayback((state) => state.loop);
  const looping = usePlayback((state) => state.looping);
  const frames = Math.max(1, songLength);
  const rate = useRate();
  const second = usePlayback((state) => Math.round(state.frame / rate));
  const take = part?.takes[0];
  const takeFrames = take ? recordings[take.recording].frames : 0;

  useEffect(() => {
    const context = width === 0 ? null : sharpContext(canvas.current, width, height);
    if (!context) return;
    const style = getComputedStyle(context.canvas);
    const middle = height / 2;
    context.strokeStyle = style.getPropertyValue('--rule');
    context.beginPath();
    context.moveTo(0, middle);
    context.lineTo(width, middle);
    context.stroke();
    if (!peaks) return;
    const drawn = (takeFrames / frames) * width;
    context.strokeStyle = style.getPropertyValue('--ink');
    context.beginPath();
    for (let x = 0; x < drawn; x++) {
      const first = Math.floor((x / drawn) * columns);
      const last = Math.max(first + 1, Math.floor(((x + 1) / drawn) * columns));
      let peak = 0;
      for (let n = first; n < last; n++) peak = Math.max(peak, peaks[n] ?? 0);
      const size = Math.min(1, peak) * (middle - 12);
      context.moveTo(x + 0.5, middle - size);
      context.lineTo(x + 0.5, middle + size + 0.5);
    }
    context.stroke();
  }, [peaks, width, height, takeFrames, frames]);

  const frameAt = (event: PointerEvent) => {
    const { left } = event.currentTarget.getBoundingClientRect();
    return Math.round(Math.min(1, Math.max(0, (event.clientX - left) / width)) * frames);
  };
  const { handlers } = useGesture<{ readonly from: number; readonly x: number }>({
    begin: (event) => ({ from: frameAt(event), x: event.clientX }),
    move: (held, event) => {
      if (Math.abs(event.clientX - held.x) < clickPixels) return;
      const to = frameAt(event);
      setLoopBetween(open, held.from, to, rate);
    },
    end: (held, event) => {
      if (Math.abs(event.clientX - held.x) < clickPixels) open.playback.seek(held.from);
    },
  });
  const x = (at: number) => (at / frames) * width;

  return (
    <div
      ref={ref}
      className="strip"
      role="slider"
      tabIndex={0}
      aria-label="Place in the song"
      aria-valuemin={0}
      aria-valuemax={Math.round(frames / rate)}
      aria-valuenow={second}
      aria-valuetext={clock(second)}
      title="Click: go there · drag: loop"
      {...handlers}
      onKeyDown={(event) => {
        const step = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
        if (step === 0) return;
        event.preventDefault();
        const { frame } = open.playback.store.getState();
        open.playback.seek(Math.min(frames, Math.max(0, frame + step * rate)));
      }}
    >
      <canvas ref={canvas} aria-hidden />
      <svg width={width} height={height} style={{ position: 'absolute', inset: 0 }} aria-hidden>
        {loop && (
          <g opacity={looping ? 1 : 0.45}>
            <rect
              x={x(loop.start)}
              width={x(loop.end) - x(loop.start)}
              y={0}
              height={height}
              fill="var(--ink)"
              opacity={0.08}
            />
            <path
              d={`M${x(loop.start)} 0v${height}M${x(loop.end)} 0v${height}`}
              stroke="var(--ink)"
              strokeDasharray="3 2"
            />
            <text x={x(loop.start) + 4} y={11} fontSize={11} className="mono">
              loop {clock((loop.end - loop.start) / rate, 2)}
            </text>
          </g>
        )}
        {[0, 0.25, 0.5, 0.75].map((share) => (
          <text
            key={share}
            x={share * width + 3}
            y={height - 4}
            fontSize={11}
            fill="var(--quiet)"
            className="mono"
          >
            {clock((share * frames) / rate)}
          </text>
        ))}
      </svg>
      <TimeHead pixelsPerFrame={width / frames} />
    </div>
  );
}

/** Alone, since it moves all the time. */
function TimeHead({ pixelsPerFrame }: { readonly pixelsPerFrame: number }) {
  const x = usePlayback((state) => state.frame) * pixelsPerFrame;
  return <div className="time-head" style={{ transform: `translateX(${x}px)` }} />;
}

function usePeaks(): Float32Array | null {
  const part = useSelectedPart();
  const recordings = useSession((state) => state.song.recordings);
  const open = useOpenSong();
  const take = part?.takes[0];
  const key = take ? `${take.recording}:${take.channel}` : null;
  const [drawn, setDrawn] = useState<{ key: string; peaks: Float32Array } | null>(null);
  const worker = useRef<Worker | null>(null);
  const jobs = useRef(0);

  useEffect(() => {
    const started = new Worker(new URL('./peaks.worker.ts', import.meta.url), { type: 'module' });
    worker.current = started;
    started.onerror = (event) =>
      say(`The wave cannot be drawn: ${event.message || 'a worker ended'}.`);
    return () => started.terminate();
  }, []);
  useEffect(() => {
    if (!key || !worker.current) return;
    const id = ++jobs.current;
    const [recording, channel] = key.split(':');
    const { song } = open.session.store.getState();
    if (!song.recordings[recording]) return;
    worker.current.onmessage = (event: MessageEvent<Peaks>) => {
      if (event.data.id === id) setDrawn({ key, peaks: event.data.peaks });
    };
    const job: PeaksJob = { id, song, take: { recording, channel: Number(channel) }, columns };
    worker.current.postMessage(job);
  }, [key, open, recordings]);
  return drawn && drawn.key === key ? drawn.peaks : null;
}
