import type { ReadFrames } from '../sources/blocks.ts';
import { LagTable } from './lag-table.ts';
import { refineLag } from './refine-lag.ts';
import { SplicePath } from './splice-path.ts';
import type { SplicePlan } from './splices.ts';
import { longestWanderMs, spliceStyles, stillMs, widestMs } from './splice-styles.ts';
import type { SplicedKind } from './voice.ts';

const { abs, ceil, floor, min, round, sign } = Math;

const hopMs = 10;
const shortestMs = 0.6;
/** Frames to either side in which a lag of the table is refined: it is coarse. */
const refinedAround = 6;
/** Planned at once, before others are let in; and looked ahead behind that, so that it ends well. */
const stretchSeconds = 8;
const lookAheadSeconds = 2;
const strayedMs = 1;

export interface SpliceRequest {
  readonly kind: SplicedKind;
  /** Frequency ratio, 0.5 to 2. */
  readonly ratio: number;
  readonly rateHz: number;
  /** Length of the source. */
  readonly frames: number;
  /** Plans this stretch alone, for what is to be heard at once; all of the source if left out. */
  readonly from?: number;
  readonly to?: number;
  readonly read: ReadFrames;
  /** By which lags the take may be jumped: made where it is missing. Left out, it is made for this plan alone. */
  readonly table?: LagTable;
  /** Called between stretches; may throw to stop. */
  readonly breathe?: () => Promise<unknown>;
}

/** Of a take, to be used for every tuning in this direction (1 up, −1 down). */
export function lagTableFor(kind: SplicedKind, direction: 1 | -1, rateHz: number): LagTable {
  const { windowMs, longestMs } = spliceStyles[kind];
  return new LagTable({
    rateHz,
    direction,
    windowMs,
    hopMs,
    shortestMs,
    longestMs,
  });
}

/** Plans all splices of a take, or of a stretch of it, together: see `SplicePath`. */
export async function planSplices(request: SpliceRequest): Promise<SplicePlan> {
  const { kind, ratio, rateHz, read, breathe } = request;
  const from = request.from ?? 0;
  const to = min(request.to ?? request.frames, request.frames);
  const inFrames = (ms: number) => (ms * rateHz) / 1000;
  const { inTime, crossfadeMs } = spliceStyles[kind];
  const crossfadeFrames = round(inFrames(crossfadeMs));
  const plan = { starts: [from], positions: [from], likeness: [1] };
  let usualWander = 0;
  const slope = ratio - 1;
  if (slope !== 0) {
    const direction = sign(slope) as 1 | -1;
    const table = request.table ?? lagTableFor(kind, direction, rateHz);
    const settings = {
      table,
      slope,
      crossfadeFrames,
      stillFrames: inFrames(stillMs),
      inTime,
      widestFrames: inFrames(widestMs),
    };
    const edge = inFrames(longestWanderMs);
    const hops = (seconds: number) => ceil((seconds * rateHz) / table.hopFrames) * table.hopFrames;
    let start = { time: from, offset: 0, free: from + crossfadeFrames };
    while (start.time < to) {
      const kept = start.time + hops(stretchSeconds);
      const end = min(to, kept + hops(lookAheadSeconds));
      await table.ensure(read, start.time - edge, end + edge);
      const path = new SplicePath({ ...settings, start });
      path.advance(end);
      let next = kept;
      for (const splice of path.splices()) {
        if (splice.time >= kept) break;
        const n = plan.starts.length - 1;
        const place = plan.positions[n] + ratio * (splice.time - plan.starts[n]);
        const around = splice.repeats ? refinedAround : 0;
        const found = await refineLag(read, place, direction, splice.lag, crossfadeFrames, around);
        const position = place - direction * found.lag;
        plan.starts.push(splice.time);
        plan.positions.push(position);
        plan.likeness.push(found.likeness);
        // What refining moved adds up; once it is worth it, the rest is planned anew from where the reading really is.
        if (abs(position - splice.time - splice.offset) > inFrames(strayedMs)) {
          next = splice.time;
          break;
        }
      }
      const n = plan.starts.length - 1;
      start = {
        time: next,
        offset: plan.positions[n] + ratio * (next - plan.starts[n]) - next,
        free: plan.starts[n] + crossfadeFrames,
      };
      await breathe?.();
    }
    usualWander = wanderOf(plan, ratio, to, table);
  }
  return {
    ratio,
    crossfadeFrames,
    ...(request.from === undefined ? {} : { coarseTo: to }),
    starts: Float64Array.from(plan.starts),
    positions: Float64Array.from(plan.positions),
    likeness: Float64Array.from(plan.likeness),
    usualWander,
  };
}

/** So much of the sound is within the wander that is told; the rest is brief. */
const usualShare = 0.95;
/** Distances are counted in steps of so many to a hop. */
const stepsPerHop = 32;

/** Within which distance of its place most of what sounds is read. */
function wanderOf(
  {
    starts,
    positions,
  }: { readonly starts: readonly number[]; readonly positions: readonly number[] },
  ratio: number,
  to: number,
  table: LagTable,
): number {
  const step = table.hopFrames / stepsPerHop;
  const energyAt: number[] = [];
  let whole = 0;
  let segment = 0;
  for (let time = starts[0]; time < to; time += table.hopFrames) {
    while (segment + 1 < starts.length && starts[segment + 1] <= time) segment++;
    const place = positions[segment] + ratio * (time - starts[segment]);
    const energy = table.energyAt(place);
    const bin = floor(abs(place - time) / step);
    energyAt[bin] = (energyAt[bin] ?? 0) + energy;
    whole += energy;
  }
  let sum = 0;
  for (let bin = 0; bin < energyAt.length; bin++) {
    sum += energyAt[bin] ?? 0;
    if (sum >= usualShare * whole) return whole > 0 ? (bin + 1) * step : 0;
  }
  return 0;
}
