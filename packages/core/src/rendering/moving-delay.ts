import type { Curve } from '../moves/curve.ts';
import { jumpsOf } from '../moves/jumps.ts';
import { clampParameter } from '../parameters/parameter.ts';
import { voiceParameters } from '../parameters/tables.ts';
import { driftAt, type DriftPath } from '../voices/drift.ts';
import type { DriftPlan } from './plan.ts';
import type { DelayStep, DelaySteps } from './stepped-reading.ts';
import { stepFadeMs } from './time-map.ts';
import { valueAt, type MovingValue } from './value.ts';

/** What a voice whose delay moves is read at: so late, and a path and steps round that. */
export interface MovingDelay {
  readonly delayFrames: number;
  readonly drift: DriftPlan | null;
  /** What jumps on its way, round that; null where nothing does. */
  readonly steps: DelaySteps | null;
}

/** A delay is looked at so often, in s; oftener where a cycle is fast. */
const gridS = 0.01;
const looksPerCycle = 24;
/**
 * It moves by no more than so many frames a frame: a fifth down to a minor third up while it does; what would go faster goes as fast as that. Faster, a tape would
 * have stopped.
 */
const steepest = 0.3;

const stepS = stepFadeMs / 1000;

const { abs, ceil, max, min, round } = Math;

interface Made {
  readonly of: readonly unknown[];
  readonly delay: MovingDelay;
}

/** Of one curve there may be several: its voice was dragged, or another one goes by it, too. */
const made = new WeakMap<Curve, readonly Made[]>();
const mostMade = 4;
let count = 0;

/**
 * The delay of a voice as its curve says: while it moves, the pitch does (1 − dτ/dt); where the curve jumps, the delay does, and the pitch stays.
 * @param value in ms, its base what is set
 * @param drift what the voice wanders by itself
 * @param frames length of the take
 */
export function movingDelay(
  value: MovingValue,
  drift: DriftPlan | null,
  frames: number,
): MovingDelay {
  const of = [value.base, value.tempo, value.rateHz, drift?.path ?? null, frames];
  const known = made.get(value.curve) ?? [];
  const found = known.find((one) => one.of.every((what, n) => what === of[n]));
  if (found) return found.delay;
  const delay = newDelay(value, drift, frames);
  made.set(value.curve, [{ of, delay }, ...known.slice(0, mostMade - 1)]);
  return delay;
}

function newDelay(value: MovingValue, drift: DriftPlan | null, frames: number): MovingDelay {
  const { rateHz } = value;
  const delayAt = (frame: number) =>
    (clampParameter(voiceParameters.delayMs, valueAt(value, frame)) * rateHz) / 1000;
  const jumps = jumpsWithin(value, frames).map((frame) => ({
    frame,
    by: delayAt(frame + beside) - delayAt(frame - beside),
  }));
  // What a path would be read with in their place goes on without them.
  let [passed, jumped] = [0, 0];
  const smoothAt = (frame: number) => {
    for (; passed < jumps.length && jumps[passed].frame <= frame + beside; passed++)
      jumped += jumps[passed].by;
    const last = passed > 0 ? jumps[passed - 1].frame : -1;
    return delayAt(abs(frame - last) < beside ? last + beside : frame) - jumped;
  };
  const gridFrames = max(16, round(gridOf(value) * rateHz));
  const points = new Float64Array(ceil(frames / gridFrames) + 8);
  const most = steepest * gridFrames;
  let before = 0;
  // The first point lies one step before the beginning.
  for (let k = 0; k < points.length; k++) {
    const frame = (k - 1) * gridFrames;
    const wanders = drift ? driftAt(drift.path, frame) : 0;
    const goal = smoothAt(frame) + wanders;
    before = k === 0 ? goal : before + min(most, max(-most, goal - before));
    points[k] = before;
  }
  // Round the middle of where it goes, so that no more is read ahead or behind than there.
  const [low, high] = [points.reduce((a, b) => min(a, b)), points.reduce((a, b) => max(a, b))];
  const middle = (low + high) / 2;
  for (let k = 0; k < points.length; k++) points[k] -= middle;
  const path: DriftPath = { gridFrames, points, widestFrames: abs(high - low) / 2 };
  const moves = path.widestFrames > 0;
  const key = `moving/${++count}`;
  const steps = jumps.length > 0 ? stepsOf(key, jumps, round(stepS * rateHz)) : null;
  return {
    delayFrames: middle + (steps?.middle ?? 0),
    drift: moves ? { key, path } : null,
    steps: steps?.steps ?? null,
  };
}

/** So near beside the frame of a jump the curve is what it was before it, or is after it. */
const beside = 1;

/** The whole frames at which a delay jumps; nothing of a cycle that is so fast that its jumps would fade into each other. */
function jumpsWithin({ curve, tempo, rateHz, parameter }: MovingValue, frames: number): number[] {
  const jumps = jumpsOf(curve, tempo, frames / rateHz, parameter).map((atS) => round(atS * rateHz));
  const nearest = jumps.reduce(
    (least, frame, n) => (n === 0 ? least : min(least, frame - jumps[n - 1])),
    Infinity,
  );
  return curve.kind === 'cycle' && nearest < 2 * stepS * rateHz ? [] : jumps;
}

/** Jumps as steps round the middle of where they go, so that no more is read ahead or behind than there. */
function stepsOf(
  key: string,
  jumps: readonly { readonly frame: number; readonly by: number }[],
  crossfadeFrames: number,
): { readonly middle: number; readonly steps: DelaySteps } {
  let later = 0;
  const after = jumps.map(({ frame, by }) => ({ frame, later: (later += by) }));
  const low = after.reduce((least, step) => min(least, step.later), 0);
  const high = after.reduce((most, step) => max(most, step.later), 0);
  const middle = (low + high) / 2;
  const round = (step: DelayStep) => ({ ...step, later: step.later - middle });
  const first = { frame: -Infinity, later: -middle };
  return { middle, steps: { key, crossfadeFrames, steps: [first, ...after.map(round)] } };
}

function gridOf({ curve, tempo }: MovingValue): number {
  if (curve.kind !== 'cycle') return gridS;
  const { rate } = curve;
  const fastest = tempo ? max(...tempo.map(({ bpm }) => bpm)) : 120;
  const hz = rate.unit === 'Hz' ? rate.value : fastest / 60 / rate.value;
  return min(gridS, 1 / (looksPerCycle * hz));
}
