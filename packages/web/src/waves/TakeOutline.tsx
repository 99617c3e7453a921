import type { Recording } from '@pannet/core/song/song';
import type { Piece } from '@pannet/core/takes/arrangement';
import type { Take } from '@pannet/core/takes/take';
import { useEffect, useMemo, useRef } from 'react';
import { useStore } from 'zustand';
import { createStore, type StoreApi } from 'zustand/vanilla';
import { styleOf } from '../controls/inks.ts';
import { sharpContext } from '../controls/sharp-context.ts';
import { drawWave } from './draw-wave.ts';
import { drawnWithView } from './drawn-with-view.ts';
import { NearWave } from './near-wave.ts';
import { piecesOf } from './pieces.ts';
import type { TimeView } from './time-view.ts';
import type { Outline, Waves } from './waves.ts';

interface Props {
  readonly waves: Waves;
  /** What of the song is drawn. */
  readonly timeView: StoreApi<TimeView>;
  /** While it is not, what was drawn stays, and nothing is held or read for it. */
  readonly onScreen?: boolean;
  readonly recording: Recording;
  readonly take: Take;
  readonly rateHz: number;
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

const noOutline = createStore<Outline>(() => ({ ends: null, failure: null }));

/**
 * A take's wave where it lies: its clips, in the places that lining up gave them. It is drawn anew by itself when another stretch of the song
 * is shown: many lanes would be rendered for each step of a zoom otherwise.
 */
export function TakeOutline(props: Props) {
  const {
    waves,
    timeView,
    recording,
    take,
    rateHz,
    width,
    height,
    tint,
    layers = 1,
    onScreen = true,
  } = props;
  const { channel, clips, align } = take;
  const of = useMemo(() => ({ recording, channel }), [recording, channel]);
  const { ends, failure } = useStore(onScreen ? waves.outlineOf(of) : noOutline);
  const near = useMemo(() => new NearWave(waves, of), [waves, of]);
  const pieces = useMemo(
    () => piecesOf({ clips, align }, recording.frames, rateHz),
    [clips, align, recording, rateHz],
  );
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    if (!onScreen) return;
    return drawnWithView(timeView, (view, again) => {
      const context = sharpContext(canvas.current, width, height);
      if (!context) return;
      const seen = pieces.filter(({ at, count }) => at < view.to && at + count > view.from);
      const offset = seen.length > 0 ? seen[0].at - seen[0].from : 0;
      drawWave(
        context,
        { width, height, edge },
        view,
        {
          pieces: seen.length > mostPieces ? [asOne(seen)] : seen,
          outline: ends,
          stretch: near.within(view, width, offset, again),
        },
        tint === undefined
          ? { ink: styleOf('--ink'), shade: 0, ground: styleOf('--rule') }
          : { ink: tint, shade: soundingAlpha / layers, ground: null },
      );
    });
  }, [onScreen, timeView, near, ends, pieces, width, height, tint, layers]);
  return (
    <>
      <canvas ref={canvas} style={{ width, height }} aria-hidden />
      {failure !== null && <p className="quiet small m-1">The wave cannot be drawn: {failure}</p>}
    </>
  );
}

function asOne(pieces: readonly Piece[]): Piece {
  const { at, count } = pieces[pieces.length - 1];
  return { ...pieces[0], count: at + count - pieces[0].at };
}
