import { curveAt, type Curve } from '../moves/curve.ts';
import type { Tempo } from '../moves/tempo.ts';
import { db, dbToGain } from '../quantities/units.ts';

/** A gain that moves along the song: a level, and what a curve adds to it in dB. */
export interface MovingGain {
  readonly base: number;
  readonly curve: Curve;
  readonly tempo: Tempo | null;
  readonly rateHz: number;
}

/** A setting is a number, or a curve of the frame. */
export type Value = number | MovingGain;

export function valueAt(value: Value, frame: number): number {
  if (typeof value === 'number') return value;
  const { base, curve, tempo, rateHz } = value;
  return base * dbToGain(db(curveAt(curve, Math.max(0, frame) / rateHz, tempo)));
}

export function sameValue(a: Value, b: Value): boolean {
  if (typeof a === 'number' || typeof b === 'number') return a === b;
  return a.base === b.base && a.curve === b.curve && a.tempo === b.tempo && a.rateHz === b.rateHz;
}

/** A gain times a number. */
export function scaled(value: Value, by: number): Value {
  return typeof value === 'number' ? value * by : { ...value, base: value.base * by };
}
