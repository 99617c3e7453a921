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

const { floor, max, min } = Math;

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
  const was = curve && pieceOf(curve, parameter);
  const before = was?.(-Infinity, apart[0].atS - leastApartS) ?? [];
  const after = was?.(apart[apart.length - 1].atS + backS, Infinity) ?? [];
  const room = mostPoints - before.length - after.length;
  const line = fitting(apart, missedBy[depthKeys[parameter]], room).map((one): Point => ({
    ...one,
    shape: 'straight',
  }));
  return { kind: 'points', points: [...before, ...line, ...after] };
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
  const was = pieceOf(curve, parameter);
  const later = atS - fromS;
  return {
    kind: 'points',
    points: [
      ...was(-Infinity, atS - joinS),
      ...was(fromS, toS).map((point) => ({ ...point, atS: point.atS + later })),
      ...was(toS + later + joinS, Infinity),
    ],
  };
}

/** What begins at once is still no click. */
const joinS = 0.004;

/** What goes on smoothly and is cut through goes on in no more straight lines than these: of 60 dB they miss 0.05. */
const linesOfSmooth = 32;
const leastLineS = 2 * leastApartS;

/**
 * Pieces of a curve, by the seconds from and to which they go, that have its value at every time within. An end next to a point, nearer than points lie apart,
 * lies on the point; where a piece ends before the song begins, there is none.
 */
function pieceOf(curve: Points, parameter: MovingParameter) {
  const valueAt = (seconds: number) => curveAt(curve, seconds, null, parameter);
  /** From a time within what goes on between two points, or from a point on. */
  const goingOn = (fromS: number, toS: number): Point[] => {
    const shape = curve.points.findLast(({ atS }) => atS <= fromS)?.shape ?? 'straight';
    const smooth = shape === 'smooth' && fromS < curve.points[curve.points.length - 1].atS;
    const lines = smooth ? max(1, min(linesOfSmooth, floor((toS - fromS) / leastLineS))) : 1;
    return Array.from({ length: lines }, (_, line) => {
      const atS = line === 0 ? fromS : fromS + (line * (toS - fromS)) / lines;
      return { atS, by: valueAt(atS), shape: smooth ? 'straight' : shape };
    });
  };
  return (fromS: number, toS: number): Point[] => {
    if (toS < 0) return [];
    const piece = curve.points.filter(({ atS }) => atS >= fromS && atS <= toS);
    const [first, last] = [piece[0], piece[piece.length - 1]];
    if (isFinite(toS)) {
      const from = piece.pop()?.atS ?? fromS;
      if (last?.atS > toS - leastApartS) piece.push({ ...last, shape: 'straight' });
      else {
        if (last) piece.push(...goingOn(from, toS));
        piece.push({ atS: toS, by: valueAt(toS), shape: 'straight' });
      }
    }
    const cut = isFinite(fromS) && !(first?.atS < fromS + leastApartS);
    return cut ? [...goingOn(fromS, first?.atS ?? toS), ...piece] : piece;
  };
}
