import { curveAt, type Curve } from './curve.ts';
import type { Point, Points } from './points.ts';

/** Closed: nothing of it is heard. */
export const closedDb = -120;
/** What is abrupt is still no click. */
export const shortestFadeS = 0.004;

/** A stretch of the song in which something is open; it is closed outside. */
export interface Throw {
  readonly fromS: number;
  readonly toS: number;
  /** How long it takes to open and to close, outside of the stretch. */
  readonly fadeS: number;
}

/**
 * A curve that is open in a stretch, too. One of no points yet is closed everywhere else; of one that has some, those within the stretch go.
 * A stretch that begins with the song is open from its beginning.
 */
export function withThrow(curve: Curve | null, { fromS, toS, fadeS }: Throw): Points {
  const fade = Math.max(shortestFadeS, fadeS);
  const [opens, shut] = [fromS - fade, toS + fade];
  const points = curve?.kind === 'points' ? curve.points : [];
  // One that another one runs into stays open between them.
  const isOpen = (atS: number) =>
    curve !== null && points.length > 0 && curveAt(curve, atS, null) > closedDb / 2;
  const begin = Math.max(0, fromS);
  const own: Point[] = [
    ...(opens > 0 && !isOpen(opens)
      ? [{ atS: opens, by: closedDb, shape: 'smooth' as const }]
      : []),
    { atS: begin, by: 0, shape: 'straight' },
    {
      atS: Math.max(toS, begin + shortestFadeS),
      by: 0,
      shape: isOpen(shut) ? 'straight' : 'smooth',
    },
    ...(isOpen(shut) ? [] : [{ atS: shut, by: closedDb, shape: 'straight' as const }]),
  ];
  return {
    kind: 'points',
    points: [
      ...points.filter(({ atS }) => atS < opens),
      ...own,
      ...points.filter(({ atS }) => atS > shut),
    ],
  };
}

/** Whether a curve is open all through a stretch already: there is nothing to be thrown open. */
export function isOpenThrough(curve: Curve | null, { fromS, toS }: Throw): boolean {
  if (curve?.kind !== 'points') return false;
  const within = curve.points.filter(({ atS }) => atS > fromS && atS < toS);
  return [
    curveAt(curve, fromS, null),
    curveAt(curve, toS, null),
    ...within.map(({ by }) => by),
  ].every((by) => by > closedDb / 2);
}

/** A time on the grid of so many parts of a bar, the nearest; times go through a tempo map by `barsAt` and back. */
export function snapped(
  seconds: number,
  parts: number,
  toBars: (seconds: number) => number,
  toSeconds: (bars: number) => number,
): number {
  return toSeconds(Math.round(toBars(seconds) * parts) / parts);
}
