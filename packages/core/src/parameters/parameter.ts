import { failure, success, type Outcome } from '../outcome.ts';
import { figure } from '../quantities/wording.ts';

/** How a change is made inaudible while playing. Every kind of change takes 20 to 32 ms. */
export type Change = 'ramp' | 'crossfade' | 'restart';

/** One row of a parameter table: it drives types, checks, controls, API documents and the written ones. */
export interface Parameter {
  readonly label: string;
  readonly unit: string;
  readonly min: number;
  readonly max: number;
  readonly default: number;
  /** What one press of an arrow key moves. */
  readonly step: number;
  /** Places after the point when shown. */
  readonly places: number;
  readonly change: Change;
  /** Only whole numbers are allowed. */
  readonly whole?: boolean;
  /** How a slider spreads the range; even steps where it is left out. */
  readonly scale?: 'log';
  /** Where `null` is allowed: the word for it. */
  readonly off?: string;
  /** Whether it may change along the song. */
  readonly moves?: true;
}

export type ParameterTable = Readonly<Record<string, Parameter>>;

/** `place` is the path of the value in the document, for the failure. */
export function checkParameter(
  parameter: Parameter,
  received: unknown,
  place: string,
): Outcome<number> {
  const { label, unit, min, max } = parameter;
  const unitText = unit === '' ? '' : ` ${unit}`;
  const orOff = parameter.off ? `, or null (${parameter.off})` : '';
  const range = `between ${figure(min, decimals(min))} and ${figure(max, decimals(max))}${unitText}${orOff}`;
  if (typeof received !== 'number' || !Number.isFinite(received))
    return failure(
      'not-a-number',
      `${label} must be a number ${range}; it was ${describe(received)}.`,
      place,
    );
  if (received < min || received > max)
    return failure(
      'out-of-range',
      `${label} must be ${range}; it was ${figure(received, decimals(received))}.`,
      place,
    );
  if (parameter.whole && !Number.isInteger(received))
    return failure(
      'not-whole',
      `${label} must be a whole number ${range}; it was ${received}.`,
      place,
    );
  return success(received);
}

/** The values that a table's parameters start with; what can be off is off. `Group` has the table's keys. */
export function defaults<Group>(table: ParameterTable): Group {
  return Object.fromEntries(
    Object.entries(table).map(([key, parameter]) => [
      key,
      parameter.off === undefined ? parameter.default : null,
    ]),
  ) as Group;
}

export function clampParameter(parameter: Pick<Parameter, 'min' | 'max'>, value: number): number {
  return Math.min(parameter.max, Math.max(parameter.min, value));
}

/** A value from outside, short enough for a sentence. */
export function describe(received: unknown): string {
  if (received === undefined) return 'missing';
  const text = typeof received === 'string' ? `“${received}”` : JSON.stringify(received);
  return text.length > 40 ? `${text.slice(0, 39)}…` : text;
}

function decimals(value: number): number {
  const text = String(value);
  const point = text.indexOf('.');
  return point < 0 ? 0 : Math.min(6, text.length - point - 1);
}
