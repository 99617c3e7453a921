/** A label of the placement drawing: what it wants, in pixels from the top. */
export interface Wish {
  readonly id: string;
  readonly column: 'left' | 'right';
  readonly y: number;
}

/** A stretch of a column that is taken by something that does not move. */
export interface Taken {
  readonly column: 'left' | 'right';
  readonly from: number;
  readonly to: number;
}

/** Two lines of figures, and a little air. */
export const labelHeight = 30;
/** A label's middle stands so far below its upper edge. */
const above = 14;

/**
 * Where the labels of both columns stand so that none lies on another or on what is taken: each at the free place nearest
 * to the one it wants, those further up first. Where a column is too full they close up from the bottom.
 */
export function placeLabels(
  wishes: readonly Wish[],
  taken: readonly Taken[],
  bottom: number,
): Map<string, number> {
  const places = new Map<string, number>();
  for (const column of ['left', 'right'] as const) {
    const blocked = taken.filter((one) => one.column === column).map(({ from, to }) => [from, to]);
    const row = wishes.filter((wish) => wish.column === column).sort((a, b) => a.y - b.y);
    for (const { id, y } of row) {
      const top = nearestFree(y - above, blocked, bottom - labelHeight);
      blocked.push([top, top + labelHeight]);
      places.set(id, top + above);
    }
  }
  return places;
}

function nearestFree(
  wanted: number,
  blocked: readonly (readonly number[])[],
  lowest: number,
): number {
  const isFree = (top: number) =>
    top >= 0 &&
    top <= lowest &&
    blocked.every(([from, to]) => top + labelHeight <= from || top >= to);
  const candidates = [
    wanted,
    lowest,
    0,
    ...blocked.flatMap(([from, to]) => [from - labelHeight, to]),
  ].filter(isFree);
  if (candidates.length === 0) return Math.min(wanted, lowest);
  return candidates.reduce((best, top) =>
    Math.abs(top - wanted) < Math.abs(best - wanted) ? top : best,
  );
}
