import type { Figure } from '@pannet/core/measurement/definitions';
import { worstBand } from '@pannet/core/measurement/fold';
import { figure, signedFigure } from '@pannet/core/quantities/wording';
import { sidedText } from '../measuring/figure-texts.ts';
import type { Measured } from '../measuring/messages.ts';

/** A figure of a state: how it is written, and what of it is compared. */
export interface Value {
  readonly text: string;
  readonly size: number | null;
}

export interface Row {
  readonly figure: Figure;
  readonly label: string;
  /** Smaller differences are none. */
  readonly least: number;
  readonly unit: string;
  readonly image: (measured: Measured) => Value;
  readonly plain: (measured: Measured) => Value;
}

const nothing: Value = { text: '–', size: null };

function value(size: number | null | undefined, places = 1, signed = false): Value {
  if (size === null || size === undefined) return nothing;
  return { size, text: (signed ? signedFigure : figure)(size, places) };
}

const ofMono = (): Value => ({ text: 'mono', size: null });
const zero = (): Value => value(0);

/** What is set side by side, state by state. */
export const rows: readonly Row[] = [
  {
    figure: 'loudness',
    label: 'Loudness',
    unit: 'LUFS',
    least: 0.2,
    image: ({ report }) => value(report.loudnessLufs),
    plain: ({ plain }) => value(plain.lufs),
  },
  {
    figure: 'truePeak',
    label: 'True peak',
    unit: 'dBTP',
    least: 0.5,
    image: ({ report }) => value(report.truePeakDbtp),
    plain: ({ plain }) => value(plain.truePeakDbtp),
  },
  {
    figure: 'sideToMid',
    label: 'S/M',
    unit: 'dB',
    least: 0.5,
    image: ({ report }) => (report.stillMono ? ofMono() : value(report.sideToMidDb, 1, true)),
    plain: ofMono,
  },
  {
    figure: 'bands',
    label: 'S/M under 200 Hz',
    unit: 'dB',
    least: 1,
    image: ({ report }) =>
      report.stillMono ? ofMono() : value(report.sideToMidBands.lowDb, 1, true),
    plain: ofMono,
  },
  {
    figure: 'lead',
    label: 'Lead',
    unit: 'ms',
    least: 0.3,
    image: ({ plannedLeadMs }) => sided(plannedLeadMs),
    plain: () => sided(0),
  },
  {
    figure: 'lean',
    label: 'Lean',
    unit: 'dB',
    least: 0.3,
    image: ({ report }) => sided(report.leanDb),
    plain: () => sided(0),
  },
  {
    figure: 'drop',
    label: 'Drop',
    unit: 'LU',
    least: 0.2,
    image: ({ report }) => value(report.fold.dropLu),
    plain: zero,
  },
  {
    figure: 'overTime',
    label: 'Worst 3 s of the fold',
    unit: 'LU',
    least: 0.3,
    image: ({ report }) => value(report.overTime.worst?.lossLu),
    plain: zero,
  },
  {
    figure: 'loss',
    label: 'Worst band of the fold',
    unit: 'dB',
    least: 0.5,
    image: ({ report }) => {
      const worst = worstBand(report.fold.bands);
      if (!worst) return nothing;
      const { text, size } = value(worst.lossDb);
      return { text: `${text} at ${worst.hz} Hz`, size };
    },
    plain: zero,
  },
  {
    figure: 'dip',
    label: 'Colour: deepest dip',
    unit: 'dB',
    least: 0.5,
    image: ({ report: { fold } }) => {
      const { text, size } = value(fold.deepestDipDb);
      return { text: size === null ? text : `${text} at ${fold.deepestDipHz} Hz`, size };
    },
    plain: zero,
  },
  {
    figure: 'likeness',
    label: 'Likeness of the sides',
    unit: '',
    least: 0.05,
    image: ({ report: { likeness } }) => value(likeness?.value, 2),
    plain: () => value(1, 2),
  },
  {
    figure: 'beats',
    label: 'Beats, the faster ear',
    unit: 'Hz',
    least: 0.3,
    image: ({ beating }) => value(Math.max(beating.left.rateHz, beating.right.rateHz)),
    plain: zero,
  },
];

function sided(size: number | null): Value {
  return { size, text: sidedText(size, 1) };
}
