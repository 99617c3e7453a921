import type { Recording } from '@pannet/core/song/song';
import type { Piece } from '@pannet/core/takes/arrangement';
import type { Take } from '@pannet/core/takes/take';
import { useEffect, useMemo, useRef } from 'react';
import { sharpContext } from '../controls/sharp-context.ts';
import { drawGround, drawWave } from './draw-wave.ts';
import type { TimeView } from './time-view.ts';
import { soundingOf } from './levels.ts';
import { piecesOf } from './pieces.ts';
import { useOutline, useStretch } from './use-wave.ts';
import type { Waves } from './waves.ts';

interface Props {
  readonly waves: Waves;
  /** While it is not, what was drawn stays, and nothing is held or read for it. */
  readonly onScreen?: boolean;
  readonly recording: Recording;
  readonly take: Take;
  readonly rateHz: number;
  readonly view: TimeView;
  readonly width: number;
  readonly height: number;
  /** Where it sounds is tinted so, and the wave drawn in it, on no ground. */
  readonly tint?: string;
  /** So many lie over each other: each tints as much less. */
  readonly layers?: number;
}

/** More pieces than this in what is seen are drawn as one: they are too small to be told apart. */
const mostPieces = 60;
/** Between full scale and the edge, in pixels. */
const edge = 2;
const soundingAlpha = 0.14;

/** A take's wave where it lies: its clips, in the places that lining up gave them. */
export function TakeOutline(props: Props) {
  const { waves, recording, take, rateHz, view, width, height, tint, layers = 1 } = props;
  const { onScreen = true } = props;
  const { channel, clips, align } = take;
  const of = useMemo(() => ({ recording, channel }), [recording, channel]);
  const { ends, failure } = useOutline(waves, onScreen ? of : null);
  const pieces = useMemo(
    () => piecesOf({ clips, align }, recording.frames, rateHz),
    [clips, align, recording, rateHz],
  );
  const seen = useMemo(
    () => pieces.filter(({ at, count }) => at < view.to && at + count > view.from),
    [pieces, view],
  );
  const offset = seen.length > 0 ? seen[0].at - seen[0].from : 0;
  const stretch = useStretch(waves, of, view, width, offset);
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = onScreen ? sharpContext(canvas.current, width, height) : null;
    if (!context) return;
    const middle = height / 2;
    const x = (frame: number) => ((frame - view.from) / (view.to - view.from)) * width;
    if (tint === undefined) drawGround(context, width, middle);
    else context.strokeStyle = context.fillStyle = tint;
    const drawn: readonly Piece[] =
      seen.length > mostPieces
        ? [{ ...seen[0], count: (seen.at(-1)?.at ?? 0) + (seen.at(-1)?.count ?? 0) - seen[0].at }]
        : seen;
    for (const { at, from, count } of drawn) {
      context.save();
      context.beginPath();
      context.rect(x(at), 0, x(at + count) - x(at), height);
      context.clip();
      if (tint !== undefined && ends) {
        context.globalAlpha = soundingAlpha / layers;
        for (const { from: begin, to: end } of soundingOf(ends))
          context.fillRect(x(begin + at - from), 0, x(end) - x(begin), height);
        context.globalAlpha = 1;
      }
      drawWave(context, { width, middle, reach: middle - edge }, view, ends, stretch, at - from);
      context.restore();
    }
  }, [onScreen, ends, stretch, view, width, height, seen, tint, layers]);
  return (
    <>
      <canvas ref={canvas} style={{ width, height }} aria-hidden />
      {failure !== null && <p className="quiet small m-1">The wave cannot be drawn: {failure}</p>}
    </>
  );
}
