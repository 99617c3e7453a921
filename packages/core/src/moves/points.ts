import { clampParameter } from '../parameters/parameter.ts';
import { movingParameters, type MovingParameter } from '../parameters/tables.ts';
import type { Curve } from './curve.ts';

export type Points = Extract<Curve, { readonly kind: 'points' }>;
export type Point = Points['points'][number];

/** Two points are at least so far apart, in seconds. */
export const leastApartS = 0.001;
/** And a curve has no more of them. */
export const mostPoints = 4000;

/**
 * A curve with one more point; null where one lies there already, or there are too many.
 */
export function withPoint(
  { points, ...curve }: Points,
  point: Point,
  parameter: MovingParameter = 'levelDb',
): Points | null {
  const near = points.some(({ atS }) => Math.abs(atS - point.atS) < leastApartS);
  if (near || points.length >= mostPoints || point.atS < 0) return null;
  const at = points.findIndex(({ atS }) => atS > point.atS);
  return {
    ...curve,
    points: points.toSpliced(at < 0 ? points.length : at, 0, held(point, parameter)),
  };
}

/** A curve without its nth point; null where it is the last one that is left. */
export function withoutPoint({ points, ...curve }: Points, n: number): Points | null {
  return points.length > 1 ? { ...curve, points: points.toSpliced(n, 1) } : null;
}

/** The nth point moved: in time no farther than to its neighbours, in value within what is allowed. */
export function movedPoint(
  { points, ...curve }: Points,
  n: number,
  to: Partial<Point>,
  parameter: MovingParameter = 'levelDb',
): Points {
  const point = { ...points[n], ...to };
  const least = n > 0 ? points[n - 1].atS + leastApartS : 0;
  const most = (points[n + 1]?.atS ?? Infinity) - leastApartS;
  const atS = Math.max(least, Math.min(most, point.atS));
  return { ...curve, points: points.with(n, held({ ...point, atS }, parameter)) };
}

function held(point: Point, parameter: MovingParameter): Point {
  return { ...point, by: clampParameter(movingParameters[parameter], point.by) };
}
