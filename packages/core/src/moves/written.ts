import type { MovingParameter } from '../parameters/tables.ts';
import { curveAt, depthKeys } from './curve.ts';
import { leastApartS, mostPoints, type Point, type Points } from './points.ts';

/** Where a control stood that was held while it played. */
export interface Held {
  readonly atS: number;
  /** What it adds, in the unit of what moves. */
  readonly by: number;
}

/** A line may miss what was held by so much, by the unit of what moves: less is not heard. */
const missedBy = { depthDb: 0.3, depthPercent: 1, depthOctaves: 0.03, depthMs: 0.05 } as const;
/** What is let go of goes back to what the curve was in so long. */
const backS = 0.05;

const { max, min } = Math;

/**
 * Points between which straight lines miss what was held by no more than a step that is heard: of a thousand places a few. In one go through them, so that it
 * keeps up with a hand for as long as a song lasts: a line goes on as long as it passes within reach of all that it leaves out (as doors that swing shut,
 * Bristol, ISA 1990).
 */
export function thinned(held: readonly Held[], within: number): Held[] {
  if (held.length <= 2) return [...held];
  const kept = [held[0]];
  let from = held[0];
  let [lowest, highest] = [-Infinity, Infinity];
  for (let n = 1; n < held.length; n++) {
    const long = held[n].atS - from.atS;
    const slope = (held[n].by - from.by) / long;
    if (slope < lowest || slope > highest) {
      // The one before is as far as one line goes.
      from = held[n - 1];
      kept.push(from);
      [lowest, highest] = [-Infinity, Infinity];
      n--;
      continue;
    }
    lowest = max(lowest, slope - within / long);
    highest = min(highest, slope + within / long);
  }
  kept.push(held[held.length - 1]);
  return kept;
}

/** As few points as a curve has room for: of a hand that never rests for minutes, less exactly. */
function fitting(held: readonly Held[], within: number, most: number): Held[] {
  for (let missed = within; ; missed *= 2) {
    const line = thinned(held, missed);
    if (line.length <= most || line.length <= 2) return line;
  }
}

/**
 * A curve in which what was held stands in the place of what was there in that time; before and after it is as it was.
 * @param held in the order of time, at least one; nearer than a millisecond to the one before is left out
 */
export function withWritten(
  curve: Points | null,
  held: readonly Held[],
  parameter: MovingParameter,
): Points {
  const apart: Held[] = [];
  for (const one of held)
    if (apart.length === 0 || one.atS - apart[apart.length - 1].atS >= leastApartS) apart.push(one);
  const room = mostPoints - (curve?.points.length ?? 0) - 2;
  const line = fitting(apart, missedBy[depthKeys[parameter]], room).map((one): Point => ({
    ...one,
    shape: 'straight',
  }));
  if (!curve) return { kind: 'points', points: line };
  const [from, to] = [line[0].atS, line[line.length - 1].atS];
  const was = (atS: number) => curveAt(curve, max(0, atS), null, parameter);
  const edge = (atS: number): Point[] =>
    atS < 0 ? [] : [{ atS, by: was(atS), shape: 'straight' }];
  const [before, after] = [from - leastApartS, to + backS];
  return {
    kind: 'points',
    points: [
      ...curve.points.filter(({ atS }) => atS < before - leastApartS),
      ...edge(before),
      ...line,
      ...edge(after),
      ...curve.points.filter(({ atS }) => atS > after + leastApartS),
    ],
  };
}

/**
 * A stretch of a curve once more, from another time on, in the place of what is there; the ends of it are joined to what they meet within a few
 * milliseconds.
 */
export function withCopy(
  curve: Points,
  { fromS, toS }: { readonly fromS: number; readonly toS: number },
  atS: number,
  parameter: MovingParameter,
): Points {
  const was = (seconds: number) => curveAt(curve, seconds, null, parameter);
  const shape = (seconds: number) =>
    curve.points.findLast((point) => point.atS <= seconds)?.shape ?? 'straight';
  const later = atS - fromS;
  const copy: Point[] = [
    { atS, by: was(fromS), shape: shape(fromS) },
    ...curve.points
      .filter((point) => point.atS > fromS + leastApartS && point.atS < toS - leastApartS)
      .map((point) => ({ ...point, atS: point.atS + later })),
    { atS: toS + later, by: was(toS), shape: 'straight' },
  ];
  const end = toS + later;
  const [before, after] = [atS - joinS, end + joinS];
  return {
    kind: 'points',
    points: [
      ...curve.points.filter((point) => point.atS < before - leastApartS),
      ...(before > 0 ? [{ atS: before, by: was(before), shape: 'straight' as const }] : []),
      ...copy,
      { atS: after, by: was(after), shape: shape(after) },
      ...curve.points.filter((point) => point.atS > after + leastApartS),
    ],
  };
}

/** What begins at once is still no click. */
const joinS = 0.004;
