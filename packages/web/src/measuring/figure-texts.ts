import type { Figure } from '@pannet/core/measurement/definitions';
import type { Dynamics } from '@pannet/core/measurement/dynamics';
import type { StereoReport } from '@pannet/core/measurement/report';
import { clock, figure, signedFigure } from '@pannet/core/quantities/wording';

type Measured = number | null | undefined;

/** A figure with its unit; a dash where there is none. */
export function unsignedText(value: Measured, places: number, unit = ''): string {
  return value === null || value === undefined ? '–' : withUnit(figure(value, places), unit);
}

export function signedText(value: Measured, places: number, unit = ''): string {
  return value === null || value === undefined ? '–' : withUnit(signedFigure(value, places), unit);
}

/** “L 3.1 dB”: which side, and by how much. */
export function sidedText(value: Measured, places: number, unit = ''): string {
  if (value === null || value === undefined) return '–';
  const size = figure(Math.abs(value), places);
  if (Number(size) === 0) return withUnit('0', unit);
  return withUnit(`${value > 0 ? 'L' : 'R'} ${size}`, unit);
}

function withUnit(text: string, unit: string): string {
  return unit ? `${text} ${unit}` : text;
}

function bothText({ left, right }: StereoReport['dynamics'], pick: (side: Dynamics) => number) {
  const of = (side: Dynamics | null) => unsignedText(side && pick(side), 1);
  return `L ${of(left)} · R ${of(right)}`;
}

/** Less doubt than this is not worth a word. */
const toldDoubtDb = 0.5;

type Text = (report: StereoReport) => string;

/** Figures of a report as they are written, in the fold column and of a file. */
export const figureTexts = {
  loudness: ({ loudnessLufs }) => unsignedText(loudnessLufs, 1, 'LUFS'),
  truePeak: ({ truePeakDbtp }) => unsignedText(truePeakDbtp, 1, 'dBTP'),
  range: ({ loudnessRangeLu }) => unsignedText(loudnessRangeLu, 1, 'LU'),
  sideToMid: ({ stillMono, sideToMidDb }) =>
    stillMono ? 'mono' : signedText(sideToMidDb, 1, 'dB'),
  bands: ({ sideToMidBands: { lowDb, midDb, highDb } }) =>
    [lowDb, midDb, highDb].map((db) => signedText(db, 0)).join(' · '),
  correlation: ({ correlation }) => signedText(correlation, 2),
  lead: ({ leadMs }) => sidedText(leadMs, 1, 'ms'),
  lean: ({ leanDb }) => sidedText(leanDb, 1, 'dB'),
  likeness: ({ likeness }) =>
    likeness ? `${signedFigure(likeness.value, 2)} at ${signedFigure(likeness.lagMs, 1)} ms` : '–',
  drop: ({ fold }) => unsignedText(fold.dropLu, 1, 'LU'),
  dip: ({ fold: { deepestDipDb, deepestDipHz, dipDoubtDb } }) =>
    deepestDipDb === null
      ? '–'
      : `${figure(deepestDipDb, 1)}${dipDoubtDb >= toldDoubtDb ? ` ±${figure(dipDoubtDb, 1)}` : ''} dB at ${deepestDipHz ?? 0} Hz`,
  overTime: ({ overTime: { worst } }) =>
    worst ? `worst ${figure(worst.lossLu, 1)} LU from ${clock(worst.fromSeconds, 1)}` : '–',
  comb: ({ comb }) =>
    comb
      ? `${comb.notchesHz
          .slice(0, 3)
          .map((hz) => figure(hz, 0))
          .join(', ')} Hz`
      : 'none',
  crest: ({ dynamics }) => bothText(dynamics, ({ crestDb }) => crestDb),
  spread: ({ dynamics }) => bothText(dynamics, ({ spreadDb }) => spreadDb),
} as const satisfies Partial<Record<Figure, Text>>;

/** The third octave in which the sides agree least. */
export function leastCorrelationText({ bandSides }: StereoReport): string {
  const heard = bandSides.filter(({ correlation }) => correlation !== null);
  if (heard.length === 0) return '–';
  const least = heard.reduce((low, band) =>
    (band.correlation ?? 1) < (low.correlation ?? 1) ? band : low,
  );
  return `${signedText(least.correlation, 2)} at ${least.hz} Hz`;
}
