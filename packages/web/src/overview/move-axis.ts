import { movingParameters, type MovingParameter } from '@pannet/core/parameters/tables';
import { figure, signedFigure } from '@pannet/core/quantities/wording';
import { sideText } from '../image/voice-edits.ts';

/** How a setting that moves is drawn: levels by what is added to them, places and widths as what they come to. */
interface MoveAxis {
  /** What moves, in the middle of a sentence. */
  readonly word: string;
  readonly highest: number;
  readonly lowest: number;
  readonly marks: readonly number[];
  readonly text: (shown: number) => string;
  /** Whether what is set is part of what is drawn. */
  readonly absolute: boolean;
  /** To how much a drag is rounded. */
  readonly roundedTo: number;
}

const decibels = {
  highest: 6,
  lowest: -30,
  marks: [0, -18],
  text: (db: number) => `${signedFigure(db, Number.isInteger(db) ? 0 : 1)} dB`,
  absolute: false,
  roundedTo: 0.1,
} as const;

const percent = { absolute: true, roundedTo: 1 } as const;

export const moveAxes: Readonly<Record<MovingParameter, MoveAxis>> = {
  levelDb: { word: 'level', ...decibels },
  flanksDb: { word: 'flanks', ...decibels },
  panPercent: {
    word: 'place',
    // L is above, as it is left in a drawing that is turned.
    highest: -100,
    lowest: 100,
    marks: [-100, 0, 100],
    text: sideText,
    ...percent,
  },
  widthPercent: {
    word: 'width',
    highest: 200,
    lowest: -200,
    marks: [100, 0, -100],
    text: (value) => `${signedFigure(value, 0)} %`,
    ...percent,
  },
  imagePercent: {
    word: 'image against plain',
    highest: 100,
    lowest: 0,
    marks: [100, 0],
    text: (value) => (value === 0 ? 'plain' : value === 100 ? 'image' : `${figure(value, 0)} %`),
    ...percent,
  },
};

/** What a move of a setting adds, as it is typed: its own row, where what is set is part of it. */
export function shownRow(parameter: MovingParameter, base: number) {
  const row = movingParameters[parameter];
  const { absolute, highest, lowest, word } = moveAxes[parameter];
  if (!absolute) return row;
  return {
    ...row,
    label: word.replace(/^./, (letter) => letter.toUpperCase()),
    min: Math.min(highest, lowest),
    max: Math.max(highest, lowest),
    default: base,
  };
}
