import { alignedArrangement, clipsArrangement, type Piece } from '@pannet/core/takes/arrangement';
import type { Comparison } from '@pannet/core/takes/line-up/line-up';
import { placeOnPath } from '@pannet/core/takes/line-up/path';
import type { Part, Take } from '@pannet/core/song/song';
import type { Anchor } from '@pannet/core/takes/take';
import { useEffect, useMemo, useRef } from 'react';
import { sharpContext } from '../controls/sharp-context.ts';
import { useOpenSong, useRate, useRecordings } from '../session/open-song.ts';
import { drawGround, drawWave } from '../waves/draw-wave.ts';
import type { TimeView } from '../waves/time-view.ts';
import { useOutline, useStretch } from '../waves/use-wave.ts';
import { Anchors } from './Anchors.tsx';
import { Clips } from './Clips.tsx';

interface Props {
  readonly part: Part;
  readonly take: Take;
  readonly view: TimeView;
  readonly width: number;
  readonly height: number;
  /** null of the reference, and until it is known. */
  readonly comparison: Comparison | null;
  readonly onHold: (what: string, anchors: readonly Anchor[]) => void;
}

/** How late and early the curve shows an onset, in ms. */
const curveMs = 40;
/** More pieces than this in what is seen are drawn as one: they are too small to be told apart. */
const mostPieces = 60;

/** A take where it lies, with its timing against the reference as a curve over it. */
export function TakeWave({ part, take, view, width, height, comparison, onHold }: Props) {
  const { waves } = useOpenSong();
  const recording = useRecordings()[take.recording];
  const rateHz = useRate();
  const of = useMemo(() => ({ recording, channel: take.channel }), [recording, take.channel]);
  const { ends, failure } = useOutline(waves, of);
  const pieces = useMemo(() => piecesOf(take, recording.frames, rateHz), [take, recording, rateHz]);
  const seen = useMemo(
    () => pieces.filter(({ at, count }) => at < view.to && at + count > view.from),
    [pieces, view],
  );
  const offset = seen.length > 0 ? seen[0].at - seen[0].from : 0;
  const stretch = useStretch(waves, of, view, width, offset);
  const canvas = useRef<HTMLCanvasElement>(null);
  const wave = height - 16;
  useEffect(() => {
    const context = sharpContext(canvas.current, width, height);
    if (!context) return;
    const middle = wave / 2;
    const x = (frame: number) => ((frame - view.from) / (view.to - view.from)) * width;
    drawGround(context, width, middle);
    const drawn: readonly Piece[] =
      seen.length > mostPieces
        ? [{ ...seen[0], count: (seen.at(-1)?.at ?? 0) + (seen.at(-1)?.count ?? 0) - seen[0].at }]
        : seen;
    for (const { at, from, count } of drawn) {
      context.save();
      context.beginPath();
      context.rect(x(at), 0, x(at + count) - x(at), wave);
      context.clip();
      drawWave(context, { width, middle, reach: middle - 2 }, view, ends, stretch, at - from);
      context.restore();
    }
  }, [ends, stretch, view, width, height, wave, seen]);
  return (
    <>
      <canvas ref={canvas} style={{ width, height }} aria-hidden />
      <Clips part={part} take={take} view={view} width={width} height={wave} />
      {comparison && comparison.alien === null && (
        <TimingCurve
          take={take}
          view={view}
          width={width}
          height={height}
          comparison={comparison}
        />
      )}
      <Anchors take={take} view={view} width={width} height={height} onHold={onHold} />
      {failure !== null && <p className="quiet small m-1">The wave cannot be drawn: {failure}</p>}
    </>
  );
}

/** Where stretches of the recording lie: its clips, moved as the path says. */
function piecesOf(take: Take, frames: number, rateHz: number): readonly Piece[] {
  const whole: Piece = { at: 0, from: 0, count: frames, fadeIn: 0, fadeOut: 0, likeness: 1 };
  const clipped = clipsArrangement(take, frames, rateHz);
  const clips = clipped?.pieces ?? [whole];
  const path = alignedArrangement(take, clipped?.frames ?? frames, rateHz);
  if (!path) return clips;
  const pieces: Piece[] = [];
  for (const moved of path.pieces)
    for (const clip of clips) {
      const from = Math.max(moved.from, clip.at);
      const to = Math.min(moved.from + moved.count, clip.at + clip.count);
      if (to > from)
        pieces.push({
          ...whole,
          at: moved.at + from - moved.from,
          from: clip.from + from - clip.at,
          count: to - from,
        });
    }
  return pieces;
}

interface Drawn {
  readonly take: Take;
  readonly view: TimeView;
  readonly width: number;
  readonly height: number;
}

/** Each onset against the reference: as recorded as a dot (open where it is not sure), as it is heard as a line. */
function TimingCurve({
  take,
  view,
  width,
  height,
  comparison,
}: Drawn & { readonly comparison: Comparison }) {
  const rateHz = useRate();
  const { onsets, offset } = comparison;
  const path = take.align?.path ?? null;
  const middle = height / 2;
  const y = (frames: number) => {
    const ms = (frames / rateHz) * 1000;
    return middle + (Math.max(-curveMs, Math.min(curveMs, ms)) / curveMs) * (middle - 3);
  };
  const x = (frame: number) => ((frame - view.from) / (view.to - view.from)) * width;
  const seen = onsets.filter(({ at }) => at >= view.from && at <= view.to);
  const heard = seen.map(({ at, late }) => ({
    x: x(at),
    y: y((path ? placeOnPath(path, at + late) : at + late - offset) - at),
  }));
  return (
    <svg className="take-curve" width={width} height={height} aria-hidden>
      <path d={`M0 ${middle}H${width}`} stroke="var(--quiet)" strokeDasharray="1 3" />
      {seen.map(({ at, late, sure }) => (
        <circle
          key={at}
          cx={x(at)}
          cy={y(late - offset)}
          r={2.5}
          fill={sure ? 'var(--breaks)' : 'var(--paper)'}
          stroke="var(--breaks)"
        />
      ))}
      <text x={3} y={10} fontSize={10} className="mono" fill="var(--quiet)">
        {curveMs} ms early
      </text>
      <text x={3} y={height - 2} fontSize={10} className="mono" fill="var(--quiet)">
        {curveMs} ms late
      </text>
      {path && heard.length > 1 && (
        <polyline
          points={heard.map((point) => `${point.x},${point.y}`).join(' ')}
          fill="none"
          stroke="var(--breaks)"
          strokeWidth={1.25}
        />
      )}
    </svg>
  );
}
