import { curveAt, cyclesAt, type Curve } from '@pannet/core/moves/curve';
import type { Tempo } from '@pannet/core/moves/tempo';
import type { MovingParameter } from '@pannet/core/parameters/tables';
import type { TimeView } from '../waves/time-view.ts';
import type { Axis } from './move-axis.ts';

export const laneHeight = 40;
const edge = 5;
/** Drawn every so many pixels. */
const drawnPixels = 2;
/** Of points, in pixels. */
export const pointRadius = 4;
export const chosenRadius = 5;

/** Where what is shown is drawn, and what lies at a height. */
export const yOf = (axis: Axis, shown: number) =>
  edge + (1 - axis.place(shown)) * (laneHeight - 2 * edge);
export const shownAt = (axis: Axis, y: number) => axis.at(1 - (y - edge) / (laneHeight - 2 * edge));

/** A move, and what is needed to draw it. */
export interface DrawnMove {
  readonly curve: Curve;
  readonly parameter: MovingParameter;
  readonly axis: Axis;
  readonly rateHz: number;
  readonly tempo: Tempo | null;
}

/** Between the pixels of a lane and seconds of the song. */
export function timesOf({ from, to }: TimeView, width: number, rateHz: number) {
  return {
    seconds: (x: number) => (from + (x / width) * (to - from)) / rateHz,
    x: (atS: number) => ((atS * rateHz - from) / (to - from)) * width,
  };
}

/** The line of a move, its heights pixel by pixel; or, of what goes to and fro within a few pixels, the band that it fills. */
export type MoveLine =
  | { readonly kind: 'line'; readonly apart: number; readonly heights: readonly number[] }
  | { readonly kind: 'band'; readonly top: number; readonly bottom: number };

export function lineOf(move: DrawnMove, view: TimeView, width: number): MoveLine {
  const { curve, parameter, axis, rateHz, tempo } = move;
  const { seconds } = timesOf(view, width, rateHz);
  const y = (px: number) =>
    yOf(axis, axis.shown(curveAt(curve, Math.max(0, seconds(px)), tempo, parameter)));
  const pixelsACycle =
    curve.kind === 'cycle'
      ? width / (cyclesAt(curve, seconds(width), tempo) - cyclesAt(curve, seconds(0), tempo))
      : Infinity;
  if (pixelsACycle < 4 * drawnPixels) {
    const band = Array.from({ length: 32 }, (_, n) => y((n * pixelsACycle) / 32));
    return { kind: 'band', top: Math.min(...band), bottom: Math.max(...band) };
  }
  // Before it is laid out it has no width, and no time for any place.
  const count = width > 0 ? Math.floor(width / drawnPixels) + 1 : 0;
  return {
    kind: 'line',
    apart: drawnPixels,
    heights: Array.from({ length: count }, (_, n) => y(n * drawnPixels)),
  };
}

export interface MoveInks {
  readonly line: string;
  readonly band: string;
  readonly chosen: string;
}

/** Draws a move on an empty canvas as wide as its lane: its line, and those of its points that are seen. */
export function drawMove(
  context: CanvasRenderingContext2D,
  move: DrawnMove,
  view: TimeView,
  width: number,
  chosen: number | null,
  inks: MoveInks,
): void {
  const line = lineOf(move, view, width);
  context.lineWidth = 1.25;
  context.strokeStyle = context.fillStyle = inks.line;
  if (line.kind === 'band') {
    context.fillStyle = inks.band;
    context.fillRect(0, line.top, width, Math.max(1, line.bottom - line.top));
  } else {
    context.beginPath();
    for (const [n, height] of line.heights.entries()) context.lineTo(n * line.apart, height);
    context.stroke();
  }
  if (move.curve.kind !== 'points') return;
  const { x } = timesOf(view, width, move.rateHz);
  // Many dots are filled as one.
  const [others, one] = [new Path2D(), new Path2D()];
  for (const [n, { atS, by }] of move.curve.points.entries()) {
    const at = x(atS);
    if (at < -chosenRadius || at > width + chosenRadius) continue;
    const [path, radius] = n === chosen ? [one, chosenRadius] : [others, pointRadius];
    const y = yOf(move.axis, move.axis.shown(by));
    path.moveTo(at + radius, y);
    path.arc(at, y, radius, 0, 2 * Math.PI);
  }
  context.fill(others);
  context.fillStyle = inks.chosen;
  context.fill(one);
}
