import { clampParameter, type Parameter } from '@pannet/core/parameters/parameter';
import { heardHz, movingParameters, type MovingParameter } from '@pannet/core/parameters/tables';
import { figure, signedFigure } from '@pannet/core/quantities/wording';
import { movingWords } from '@pannet/core/song/settings';
import { sideText } from '../image/voice-edits.ts';

/** How a setting that moves is drawn and typed: levels by what is added to them, all else as what it comes to. */
interface MoveAxis {
  readonly highest: number;
  readonly lowest: number;
  readonly marks: readonly number[];
  readonly text: (shown: number) => string;
  /** What is set becomes part of what is shown; `added` is left as it is. */
  readonly kind: 'added' | 'sum' | 'hz';
  /** To how much a drag is rounded, as it is shown. */
  readonly roundedTo: number;
}

const decibels = {
  highest: 6,
  lowest: -30,
  marks: [0, -18],
  text: (db: number) => `${signedFigure(db, Number.isInteger(db) ? 0 : 1)} dB`,
  kind: 'added',
  roundedTo: 0.1,
} as const;

const percent = { kind: 'sum', roundedTo: 1 } as const;

export const moveAxes: Readonly<Record<MovingParameter, MoveAxis>> = {
  levelDb: { ...decibels },
  flanksDb: { ...decibels },
  panPercent: {
    // L is above, as it is left in a drawing that is turned.
    highest: -100,
    lowest: 100,
    marks: [-100, 0, 100],
    text: sideText,
    ...percent,
  },
  widthPercent: {
    highest: 200,
    lowest: -200,
    marks: [100, 0, -100],
    text: (value) => `${signedFigure(value, 0)} %`,
    ...percent,
  },
  imagePercent: {
    highest: 100,
    lowest: 0,
    marks: [100, 0],
    text: (value) => (value === 0 ? 'plain' : value === 100 ? 'image' : `${figure(value, 0)} %`),
    ...percent,
  },
  highCutOctaves: {
    highest: heardHz.max,
    lowest: heardHz.min,
    marks: [20_000, 1000, 50],
    text: (hz) => (hz >= 1000 ? `${figure(hz / 1000, 1)} kHz` : `${figure(hz, 0)} Hz`),
    kind: 'hz',
    roundedTo: 1,
  },
  delayMs: {
    // Later lies lower, as in the drawing of the stage.
    highest: -50,
    lowest: 150,
    marks: [0, 100],
    text: (ms) => `${figure(ms, 1)} ms`,
    kind: 'sum',
    roundedTo: 0.1,
  },
  driveDb: {
    highest: 60,
    lowest: 0,
    marks: [60, 30, 0],
    text: (db) => `${figure(db, 1)} dB`,
    kind: 'sum',
    roundedTo: 0.5,
  },
  peakDb: { ...decibels, highest: 24, lowest: 0, marks: [24, 0] },
};

/** Between what a curve adds, what that comes to, and where it is drawn: 0 at the lowest end of the axis, 1 at the highest. */
export function axisOf(parameter: MovingParameter, base: number) {
  const { highest, lowest, kind, roundedTo } = moveAxes[parameter];
  const ends = { min: Math.min(highest, lowest), max: Math.max(highest, lowest) };
  const scale = kind === 'hz' ? Math.log2 : (value: number) => value;
  const back = kind === 'hz' ? (value: number) => 2 ** value : (value: number) => value;
  const shown = (by: number) =>
    kind === 'added' ? by : clampParameter(ends, kind === 'hz' ? base * 2 ** by : base + by);
  const addedBy = (value: number) =>
    kind === 'added' ? value : kind === 'hz' ? Math.log2(value / base) : value - base;
  return {
    shown,
    addedBy,
    /** Beyond the ends of the axis it stands at its edge. */
    place: (value: number) => {
      const within = scale(clampParameter(ends, value));
      return (within - scale(lowest)) / (scale(highest) - scale(lowest));
    },
    /** What lies there, rounded as a drag is. */
    at: (place: number) => {
      const value = back(scale(lowest) + place * (scale(highest) - scale(lowest)));
      const to = kind === 'hz' ? 10 ** Math.floor(Math.log10(Math.max(10, value)) - 1) : roundedTo;
      return Math.round(10 * Math.round(value / to) * to) / 10;
    },
    /** As it is typed. */
    row: rowOf(parameter, base),
  };
}
export type Axis = ReturnType<typeof axisOf>;

function rowOf(parameter: MovingParameter, base: number): Parameter {
  const row = movingParameters[parameter];
  const { kind, highest, lowest } = moveAxes[parameter];
  if (kind === 'added') return row;
  return {
    ...row,
    label: movingWords[parameter].replace(/^./, (letter) => letter.toUpperCase()),
    min: Math.min(highest, lowest),
    max: Math.max(highest, lowest),
    default: base,
    ...(kind === 'hz' ? { unit: 'Hz', step: 10, places: 0, scale: 'log' } : {}),
  };
}
