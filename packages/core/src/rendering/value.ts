import { curveAt, type Curve } from '../moves/curve.ts';
import type { Tempo } from '../moves/tempo.ts';
import { clampParameter } from '../parameters/parameter.ts';
import { heardHz, type MovingParameter } from '../parameters/tables.ts';
import { db, dbToGain } from '../quantities/units.ts';

/** What moves along the song: what is set, and what a curve adds to it. */
export interface MovingValue {
  /**
   * A *gain*: linear, and a curve in dB. A *percent*: a curve in %, held within the row's range. *Image* and *plain*: gains of equal power out of a percent,
   * at 100 % the image alone. *Hz*: a curve in octaves, between 20 Hz and 20 kHz. *Q*: of a filter whose peak is a curve in dB. *Ms* and *dB*: a curve in these.
   */
  readonly as: 'gain' | 'percent' | 'image' | 'plain' | 'hz' | 'q' | 'ms' | 'db';
  readonly base: number;
  readonly parameter: MovingParameter;
  readonly curve: Curve;
  readonly tempo: Tempo | null;
  readonly rateHz: number;
}

/** A setting is a number, or a curve of the frame. */
export type Value = number | MovingValue;

/** What percentages come to at most, by what moves. */
const ranges = {
  panPercent: { min: -100, max: 100 },
  widthPercent: { min: -200, max: 200 },
  imagePercent: { min: 0, max: 100 },
} as const;

const { sin, PI } = Math;

export function valueAt(value: Value, frame: number): number {
  if (typeof value === 'number') return value;
  const { as, base, parameter, curve, tempo, rateHz } = value;
  const added = curveAt(curve, Math.max(0, frame) / rateHz, tempo, parameter);
  switch (as) {
    case 'gain':
      return base * dbToGain(db(added));
    case 'percent':
      return heldPercent(parameter, base + added);
    case 'hz':
      return clampParameter(heardHz, base * 2 ** added);
    case 'ms':
    case 'db':
      return base + added;
    case 'q':
      return Math.SQRT1_2 * dbToGain(db(added));
    case 'image':
      return base * sin((PI / 200) * heldPercent('imagePercent', 100 + added));
    case 'plain':
      return base * sin((PI / 200) * (100 - heldPercent('imagePercent', 100 + added)));
  }
}

/** A percentage that moves, within what it can be. */
function heldPercent(parameter: MovingParameter, percent: number): number {
  if (!(parameter in ranges)) return percent;
  return clampParameter(ranges[parameter as keyof typeof ranges], percent);
}

export function sameValue(a: Value, b: Value): boolean {
  if (typeof a === 'number' || typeof b === 'number') return a === b;
  return (
    a.as === b.as &&
    a.base === b.base &&
    a.parameter === b.parameter &&
    a.curve === b.curve &&
    a.tempo === b.tempo &&
    a.rateHz === b.rateHz
  );
}

/** A gain times a number. */
export function scaled(value: Value, by: number): Value {
  return typeof value === 'number' ? value * by : { ...value, base: value.base * by };
}
