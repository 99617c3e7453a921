import type { MovingParameter } from '../parameters/tables.ts';
import { curveAt, type Curve } from './curve.ts';
import type { Point, Points } from './points.ts';

/** Closed: nothing of it is heard. */
export const closedDb = -120;
/** What is abrupt is still no click. */
export const shortestFadeS = 0.004;

/** A stretch of the song in which something is other than outside. */
export interface Throw {
  readonly fromS: number;
  readonly toS: number;
  /** How long it takes to go over and back, outside of the stretch. */
  readonly fadeS: number;
}

/** What a throw does: what is added to a setting within it, and elsewhere. */
interface Thrown {
  readonly parameter: MovingParameter;
  readonly inside: number;
  readonly outside: number;
}

export type ThrowKind = 'open' | 'closed' | 'image' | 'swapped' | 'muted';

/** @param widthPercent as it is set: sides that change places have as much of it, the other way round */
export function thrownAs(kind: ThrowKind, widthPercent: number): Thrown {
  switch (kind) {
    case 'open':
      return { parameter: 'flanksDb', inside: 0, outside: closedDb };
    case 'closed':
      return { parameter: 'flanksDb', inside: closedDb, outside: 0 };
    case 'image':
      return { parameter: 'imagePercent', inside: 0, outside: -100 };
    case 'swapped':
      return { parameter: 'widthPercent', inside: -2 * widthPercent, outside: 0 };
    case 'muted':
      return { parameter: 'levelDb', inside: closedDb, outside: 0 };
  }
}

const flanksOpen: Thrown = thrownAs('open', 100);

/** Whether a value is nearer to what is within a throw than to what is outside. */
function isWithin({ inside, outside }: Thrown, value: number): boolean {
  return Math.abs(value - inside) < Math.abs(value - outside);
}

/**
 * A curve that goes over in a stretch, too. One of no points yet is as outside everywhere else; of one that has some, those within the stretch go.
 * A stretch that begins with the song is gone over to from its beginning.
 */
export function withThrow(
  curve: Curve | null,
  { fromS, toS, fadeS }: Throw,
  thrown: Thrown = flanksOpen,
): Points {
  const { inside, outside, parameter } = thrown;
  const fade = Math.max(shortestFadeS, fadeS);
  const [opens, shut] = [fromS - fade, toS + fade];
  const points = curve?.kind === 'points' ? curve.points : [];
  // One that another one runs into stays open between them.
  const isOpen = (atS: number) =>
    curve !== null && points.length > 0 && isWithin(thrown, curveAt(curve, atS, null, parameter));
  const begin = Math.max(0, fromS);
  const own: Point[] = [
    ...(opens > 0 && !isOpen(opens) ? [{ atS: opens, by: outside, shape: 'smooth' as const }] : []),
    { atS: begin, by: inside, shape: 'straight' },
    {
      atS: Math.max(toS, begin + shortestFadeS),
      by: inside,
      shape: isOpen(shut) ? 'straight' : 'smooth',
    },
    ...(isOpen(shut) ? [] : [{ atS: shut, by: outside, shape: 'straight' as const }]),
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

/** Whether a curve is gone over all through a stretch already: there is nothing to be thrown. */
export function isOpenThrough(
  curve: Curve | null,
  { fromS, toS }: Throw,
  thrown: Thrown = flanksOpen,
): boolean {
  if (curve?.kind !== 'points') return false;
  const within = curve.points.filter(({ atS }) => atS > fromS && atS < toS);
  return [
    curveAt(curve, fromS, null, thrown.parameter),
    curveAt(curve, toS, null, thrown.parameter),
    ...within.map(({ by }) => by),
  ].every((by) => isWithin(thrown, by));
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
