import { group, withDefaults, type Described } from '../parameters/description.ts';
import { driftParameters } from '../parameters/tables.ts';
import { seededHash } from '../signal/random.ts';

const { floor, ceil, abs, max, log2 } = Math;

/** A voice that wanders round its place, early and late; the range is the largest excursion. */
export const driftDescription = withDefaults(group(driftParameters));
export type Drift = Described<typeof driftDescription>;

/**
 * A wander as cubic pieces: uniform noise on a grid of two points a cycle of the rate, smoothed by a cubic B-spline, which
 * holds it to about that rate (its spectrum falls by sinc⁴), and scaled so that the largest excursion is the range.
 * Structured-cloneable.
 */
export interface DriftPath {
  /** Frames from one grid point to the next. */
  readonly gridFrames: number;
  /** Control points in frames; the first belongs to grid point −1. */
  readonly points: Float64Array;
  /** The largest excursion in frames. */
  readonly widestFrames: number;
}

/**
 * @param frames length of the take; the largest excursion is looked for over it
 */
export function driftPath(drift: Drift, rateHz: number, frames: number): DriftPath {
  const gridFrames = rateHz / (2 * drift.rateHz);
  const count = ceil(frames / gridFrames) + 8;
  const points = new Float64Array(count);
  for (let k = 0; k < count; k++) points[k] = 2 * seededHash(drift.seed, k) - 1;
  const widestFrames = (drift.rangeMs * rateHz) / 1000;
  const path = { gridFrames, points, widestFrames };
  const widest = excursion(path, frames);
  for (let k = 0; k < count; k++) points[k] *= widest > 0 ? widestFrames / widest : 0;
  return path;
}

/** How far behind its place the voice is at absolute frame `frame`, in frames. The ends stand still. */
export function driftAt({ gridFrames, points }: DriftPath, frame: number): number {
  const place = max(0, frame / gridFrames);
  let k = floor(place);
  if (k > points.length - 4) k = points.length - 4;
  const t = place - k > 1 ? 1 : place - k;
  const s = 1 - t;
  const a = s * s * s;
  const b = 3 * t * t * t - 6 * t * t + 4;
  const c = 3 * s * s * s - 6 * s * s + 4;
  const d = t * t * t;
  return (a * points[k] + b * points[k + 1] + c * points[k + 2] + d * points[k + 3]) / 6;
}

/** Looks this often between two grid points: a cubic piece cannot hide much between. */
const looks = 16;

function excursion(path: DriftPath, frames: number): number {
  let widest = 0;
  const step = path.gridFrames / looks;
  for (let frame = 0; frame <= frames; frame += step)
    widest = max(widest, abs(driftAt(path, frame)));
  return widest;
}

/** The largest excursion in frames and the largest detuning in cents of the actual path: pitch is 1 − dτ/dt. */
export function driftExtremes(
  path: DriftPath,
  frames: number,
): { readonly frames: number; readonly cents: number } {
  let widest = 0;
  let steepest = 0;
  const step = path.gridFrames / looks;
  let before = driftAt(path, 0);
  for (let frame = 0; frame <= frames; frame += step) {
    const at = driftAt(path, frame);
    widest = max(widest, abs(at));
    steepest = max(steepest, abs(at - before) / step);
    before = at;
  }
  return { frames: widest, cents: 1200 * abs(log2(1 - steepest)) };
}
