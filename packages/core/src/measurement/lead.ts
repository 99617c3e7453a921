const { abs, round } = Math;

/** Further apart they follow each other: nobody leads. */
export const longestLeadMs = 60;

/** Within so many lags on either side, the one at which something is largest; of equally large ones the first, but 0 before all. */
export function largestAt(
  at: (lag: number) => number,
  reach: number,
  size: (value: number) => number,
): number {
  let best = 0;
  for (let lag = -reach; lag <= reach; lag++) if (size(at(lag)) > size(at(best))) best = lag;
  return best;
}

/** Less than this of what is heard moves together: no lead is sure. */
const sureCopy = 0.22;
/** This is enough where levels rise at that lag as well … */
const sureWithRises = 0.1;
/** … and this is needed where they rise at another one. */
const sureAgainstRises = 0.5;
/** So near to where levels rise it is the same lag. */
const besideRisesMs = 2;
/** A second peak as high as this, against the highest, leaves it open which of both it is. */
const rivalShare = 0.75;
const rivalMs = 1.2;
/** A peak that has its opposite on the other side is that of mirrored voices, which lead nowhere. */
const mirroredShare = 0.6;

/**
 * The lag of the one peak that both sides agree on; null where there is none, or more than one. Where levels rise together they tell which
 * one it is, or that it is none: tuned apart, a tone that glides is most alike at the time at which the other one had its pitch. What
 * is almost a copy leads all the same: its low end may rise in the middle.
 *
 * @param white the whitened cross-correlation at a lag in frames, 1 for a copy
 * @param risesMs the lag at which levels rise, where that is sure
 * @param lagMsAt the place of the peak at a lag, as finely as it tells
 */
export function leadOf(
  white: (lag: number) => number,
  rateHz: number,
  risesMs: number | null,
  lagMsAt: (lag: number) => number,
): number | null {
  const framesOf = (ms: number) => round((ms * rateHz) / 1000);
  const longest = framesOf(longestLeadMs);
  const apart = framesOf(rivalMs);
  const best = largestAt(white, longest, (value) => value);
  const highest = white(best);
  const lagMs = lagMsAt(best);
  const settled = risesMs !== null && abs(lagMs - risesMs) <= besideRisesMs;
  const least = settled ? sureWithRises : risesMs === null ? sureCopy : sureAgainstRises;
  if (highest < least) return null;
  const rivalled = () =>
    somewhere(
      -longest,
      longest,
      (lag) => abs(lag - best) > apart && white(lag) > rivalShare * highest,
    );
  // The waves beside what is turned round are alike.
  const turned = () =>
    somewhere(best - 2 * apart, best + 2 * apart, (lag) => white(lag) < -highest);
  if (settled ? turned() : rivalled()) return null;
  const mirrored = () =>
    somewhere(-best - 2, -best + 2, (lag) => white(lag) < -mirroredShare * highest);
  return abs(best) > apart && mirrored() ? null : lagMs;
}

function somewhere(from: number, to: number, is: (lag: number) => boolean): boolean {
  for (let lag = from; lag <= to; lag++) if (is(lag)) return true;
  return false;
}
