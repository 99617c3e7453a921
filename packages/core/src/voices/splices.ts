const { abs, max } = Math;

/**
 * How a tuned voice reads its take: straight lines a little faster or slower than time, joined by splices that put it
 * back near its place. Segment k reads source position `positions[k] + ratio·(t − starts[k])` from voice time
 * `starts[k]` on; for `crossfadeFrames` from there it fades in over segment k − 1.
 */
export interface SplicePlan {
  readonly ratio: number;
  readonly crossfadeFrames: number;
  /** Where it covers only a stretch, to be heard at once while the whole is planned: the frame that it ends at. */
  readonly coarseTo?: number;
  readonly starts: Float64Array;
  readonly positions: Float64Array;
  /** How alike the two readings of the splice at the segment's start are, 0 to 1: the crossfade's gain depends on it. */
  readonly likeness: Float64Array;
  /** How far from its place the voice is while 95 % of its sound is heard, in frames. */
  readonly usualWander: number;
}

/** Index of the segment that is current at voice time `time`. */
export function segmentAt(plan: SplicePlan, time: number): number {
  let low = 0;
  let high = plan.starts.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (plan.starts[middle] <= time) low = middle;
    else high = middle - 1;
  }
  return low;
}

/** The largest distance of the reading from its place, in frames: how far the voice wanders early and late. */
export function splicedWander(plan: SplicePlan, frames: number): number {
  const known = wanders.get(plan);
  if (known !== undefined) return known;
  let widest = 0;
  for (let k = 0; k < plan.starts.length; k++) {
    const end = k + 1 < plan.starts.length ? plan.starts[k + 1] : (plan.coarseTo ?? frames);
    const from = plan.positions[k] - plan.starts[k];
    const to = from + (plan.ratio - 1) * (end - plan.starts[k]);
    widest = max(widest, abs(from), abs(to));
  }
  wanders.set(plan, widest);
  return widest;
}

/** A plan has thousands of splices, and is asked about with each step of a drag. */
const wanders = new WeakMap<SplicePlan, number>();
