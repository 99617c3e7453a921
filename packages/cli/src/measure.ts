import { findingsOf } from '@pannet/core/findings/findings';
import { reportDocument } from '@pannet/core/measurement/report-document';
import { measureStereo, type StereoReport } from '@pannet/core/measurement/report';
import { success, type Outcome } from '@pannet/core/outcome';
import type { Dynamics } from '@pannet/core/measurement/dynamics';
import { clock, figure, signedFigure } from '@pannet/core/quantities/wording';
import { readWavChannels } from '@pannet/core/sources/wav-blocks';
import { openTake } from './wav-file.ts';

/**
 * Measures a stereo (or mono) file.
 * @param say told of what is unusual about it
 */
export async function measure(
  path: string,
  say: (line: string) => void,
): Promise<Outcome<StereoReport>> {
  const file = await openTake(path, undefined);
  if (!file.ok) return file;
  const { bytes, layout, remarks, close } = file.value;
  remarks.forEach(say);
  try {
    const channels = await readWavChannels(bytes, layout);
    return success(measureStereo(channels[0], channels[channels.length - 1], layout.rateHz).report);
  } finally {
    await close();
  }
}

/** The report as it is written as JSON, findings included. */
export function document(report: StereoReport): ReturnType<typeof reportDocument> {
  return reportDocument(report, findingsOf(report));
}

/** What a row says of one file of several. */
const columns: readonly (readonly [string, (report: StereoReport) => string])[] = [
  ['LUFS', ({ loudnessLufs }) => or(loudnessLufs, (value) => figure(value, 1))],
  ['dBTP', ({ truePeakDbtp }) => or(truePeakDbtp, (value) => figure(value, 1))],
  ['Corr.', ({ correlation }) => or(correlation, (value) => signedFigure(value, 2))],
  ['S/M dB', ({ sideToMidDb }) => or(sideToMidDb, (value) => signedFigure(value, 1))],
  ['Lead ms', ({ leadMs }) => or(leadMs, (value) => sided(value, figure(Math.abs(value), 2)))],
  ['Lean dB', ({ leanDb }) => or(leanDb, (value) => sided(value, figure(Math.abs(value), 1)))],
  ['Fold LU', ({ fold }) => or(fold.lossDb, (value) => signedFigure(value, 2))],
  ['Dip dB', ({ fold }) => or(fold.deepestDipDb, (value) => figure(value, 1))],
  ['Verdict', ({ fold }) => fold.verdict ?? '–'],
];
const columnWidth = 11;
const nameWidth = (files: readonly string[]) =>
  files.reduce((most, { length }) => Math.max(most, length), 'File'.length) + 2;

/** Above the rows of several files. */
export function headRow(files: readonly string[]): string {
  const names = columns.map(([name]) => name.padStart(columnWidth)).join('');
  return `${'File'.padEnd(nameWidth(files))}${names}`;
}

/** One file of several, as a row. */
export function fileRow(file: string, files: readonly string[], report: StereoReport): string {
  const figures = columns.map(([, write]) => write(report).padStart(columnWidth)).join('');
  return `${file.padEnd(nameWidth(files))}${figures}`;
}

function or(value: number | null, write: (value: number) => string): string {
  return value === null ? '–' : write(value);
}

/** The report as lines to read. */
export function reportLines(report: StereoReport): string[] {
  const { fold, likeness, sideToMidBands: bands, dynamics } = report;
  const { worst } = report.overTime;
  const decibels = (value: number) => `${signedFigure(value, 1)} dB`;
  const both = (pick: (side: Dynamics) => number) =>
    [dynamics.left, dynamics.right]
      .map((side, n) => `${'LR'[n]} ${side ? `${figure(pick(side), 1)} dB` : '–'}`)
      .join(', ');
  const row = (name: string, value: string) => `${name.padEnd(16)}${value}`;
  return [
    row(
      'Length',
      `${report.frames} frames at ${report.rateHz} Hz, ${figure(report.frames / report.rateHz, 2)} s`,
    ),
    row(
      'Loudness',
      or(report.loudnessLufs, (value) => `${figure(value, 1)} LUFS`),
    ),
    row(
      'True peak',
      or(report.truePeakDbtp, (value) => `${figure(value, 2)} dBTP`),
    ),
    row(
      'Sample peak',
      or(report.samplePeakDbfs, (value) => `${figure(value, 2)} dBFS`),
    ),
    row(
      'Correlation',
      or(report.correlation, (value) => signedFigure(value, 2)),
    ),
    row(
      'S/M',
      or(
        report.sideToMidDb,
        (value) => `${signedFigure(value, 1)} dB${report.stillMono ? ', still mono' : ''}`,
      ),
    ),
    row(
      'Likeness',
      likeness
        ? `${signedFigure(likeness.value, 2)} at ${signedFigure(likeness.lagMs, 2)} ms`
        : '–',
    ),
    row(
      'Lead',
      or(report.leadMs, (value) => sided(value, `${figure(Math.abs(value), 2)} ms`)),
    ),
    row(
      'Lean',
      or(report.leanDb, (value) => sided(value, `${figure(Math.abs(value), 1)} dB`)),
    ),
    row(
      'Fold',
      or(fold.lossDb, (value) => `${signedFigure(value, 2)} LU`),
    ),
    row(
      'Drop',
      or(fold.dropLu, (value) => `${figure(value, 2)} LU`),
    ),
    row(
      'Deepest dip',
      or(
        fold.deepestDipDb,
        (value) =>
          `${figure(value, 1)} dB at ${figure(fold.deepestDipHz ?? 0, 0)} Hz${fold.dipDoubtDb >= 0.5 ? `, of which ${figure(fold.dipDoubtDb, 1)} may be chance` : ''}`,
      ),
    ),
    row('Verdict', fold.verdict ?? '–'),
    row(
      'Comb',
      report.comb
        ? `${figure(report.comb.delayMs, 2)} ms late, ${figure(report.comb.depthDb, 1)} dB deep at ${report.comb.notchesHz.map((hz) => figure(hz, 0)).join(', ')} Hz`
        : 'none',
    ),
    row(
      'Worst 3 s',
      worst
        ? `${signedFigure(worst.lossLu, 1)} LU from ${clock(worst.fromSeconds, 1)} to ${clock(worst.toSeconds, 1)}`
        : '–',
    ),
    row(
      'S/M by band',
      `${or(bands.lowDb, decibels)} to 200 Hz, ${or(bands.midDb, decibels)} to 2.5 kHz, ${or(bands.highDb, decibels)} above`,
    ),
    row('Loudness range', `${figure(report.loudnessRangeLu, 1)} LU`),
    row(
      'Crest',
      both(({ crestDb }) => crestDb),
    ),
    row(
      'Fall',
      both(({ spreadDb }) => spreadDb),
    ),
    '',
    'Loss and correlation by third octave',
    ...fold.bands.map((band, n) => {
      const loss = or(band.lossDb, (value) => `${figure(value, 1).padStart(6)} dB`);
      const alike = or(report.bandSides[n].correlation, (value) => signedFigure(value, 2));
      return `${String(band.hz).padStart(8)} Hz  ${loss.padEnd(9)}  ${alike}`;
    }),
    '',
    ...findingsOf(report).map((finding) => finding.sentence),
  ];
}

function sided(value: number, text: string): string {
  return value === 0 ? text : `${value > 0 ? 'L' : 'R'} by ${text}`;
}
