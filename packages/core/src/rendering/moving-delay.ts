import type { Curve } from '../moves/curve.ts';
import { clampParameter } from '../parameters/parameter.ts';
import { voiceParameters } from '../parameters/tables.ts';
import { driftAt, type DriftPath } from '../voices/drift.ts';
import type { DriftPlan } from './plan.ts';
import { valueAt, type MovingValue } from './value.ts';

/** What a voice whose delay moves is read at: so late, and a path round that. */
export interface MovingDelay {
  readonly delayFrames: number;
  readonly drift: DriftPlan;
}

/** A delay is looked at so often, in s; oftener where a cycle is fast. */
const gridS = 0.01;
const looksPerCycle = 24;
/**
 * It moves by no more than so many frames a frame: a fifth down to a minor third up while it does, and what jumps goes over as fast as that. Faster, a tape would
 * have stopped.
 */
const steepest = 0.3;

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
 * The delay of a voice as its curve says: while it moves, the pitch does (1 − dτ/dt).
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
  const gridFrames = max(16, round(gridOf(value) * rateHz));
  const points = new Float64Array(ceil(frames / gridFrames) + 8);
  const most = steepest * gridFrames;
  let before = 0;
  // The first point lies one step before the beginning.
  for (let k = 0; k < points.length; k++) {
    const frame = (k - 1) * gridFrames;
    const wanders = drift ? driftAt(drift.path, frame) : 0;
    const goal =
      (clampParameter(voiceParameters.delayMs, valueAt(value, frame)) * rateHz) / 1000 + wanders;
    before = k === 0 ? goal : before + min(most, max(-most, goal - before));
    points[k] = before;
  }
  // Round the middle of where it goes, so that no more is read ahead or behind than there.
  const [low, high] = [points.reduce((a, b) => min(a, b)), points.reduce((a, b) => max(a, b))];
  const middle = (low + high) / 2;
  for (let k = 0; k < points.length; k++) points[k] -= middle;
  const path: DriftPath = { gridFrames, points, widestFrames: abs(high - low) / 2 };
  return { delayFrames: middle, drift: { key: `moving/${++count}`, path } };
}

function gridOf({ curve, tempo }: MovingValue): number {
  if (curve.kind !== 'cycle') return gridS;
  const { rate } = curve;
  const fastest = tempo ? max(...tempo.map(({ bpm }) => bpm)) : 120;
  const hz = rate.unit === 'Hz' ? rate.value : fastest / 60 / rate.value;
  return min(gridS, 1 / (looksPerCycle * hz));
}
