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
  /**
   * How alike the two readings of the splice at the segment's start are, 0 to 1: the crossfade's gain depends on it. Not a number where only the sound tells,
   * as it is read.
   */
  readonly likeness: Float64Array;
  /** So many frames on either side of a reading the sound is asked, where it is. */
  readonly asksAround?: number;
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

interface Widest {
  readonly wander: number;
  readonly read: number;
}

/** A plan has thousands of splices, and is asked about with each step of a drag. */
const known = new WeakMap<SplicePlan, Widest>();

function widestOf(plan: SplicePlan, frames: number): Widest {
  const before = known.get(plan);
  if (before) return before;
  const slope = plan.ratio - 1;
  let [wander, read] = [0, 0];
  for (let k = 0; k < plan.starts.length; k++) {
    const last = k + 1 === plan.starts.length;
    const end = last ? (plan.coarseTo ?? frames) : plan.starts[k + 1];
    const from = plan.positions[k] - plan.starts[k];
    const to = from + slope * (end - plan.starts[k]);
    wander = max(wander, abs(from), abs(to));
    read = max(read, wander, last ? 0 : abs(to + slope * plan.crossfadeFrames));
  }
  const widest = { wander, read };
  known.set(plan, widest);
  return widest;
}

/** The largest distance of the voice from its place, in frames: how far it wanders early and late. */
export function splicedWander(plan: SplicePlan, frames: number): number {
  return widestOf(plan, frames).wander;
}

/** The largest distance from its place at which it reads, in frames: a line is read on while the next one fades in over it. */
export function splicedRead(plan: SplicePlan, frames: number): number {
  return widestOf(plan, frames).read;
}
