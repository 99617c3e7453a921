import type { Part, Song } from '../song/song.ts';
import { mostPeakDbtp, pullingLeadMs, squashDifference } from './findings.ts';
import type { FindingCode } from './finding.ts';
import { chorusRippleDb, missingInFold } from './part-findings.ts';
import type { PartFigures } from './part-figures.ts';
import { drivenCopies, latestVoice, widestSpreadDb } from './source-findings.ts';

/** The figure that a finding stands on, whether it is found or not: what a mend is held to. */
export interface Gauge {
  readonly label: string;
  readonly unit: string;
  readonly places: number;
  readonly read: (figures: PartFigures, song: Song, part: Part) => number | null;
  /** How bad a value is, at or above 0: less is better. */
  readonly badness: (value: number) => number;
}

const { abs, max } = Math;

const atMost0 = (value: number) => max(0, value);

/** null where there is nothing that a mend could bring down. */
export const gauges: Readonly<Record<FindingCode, Gauge | null>> = {
  silent: null,
  'one-sided': null,
  'drops-out': null,
  clipped: null,
  dc: null,
  hum: null,
  'nothing-wrong': null,
  'over-peak': {
    label: 'true peak',
    unit: 'dBTP',
    places: 1,
    read: ({ report }) => report.truePeakDbtp,
    badness: (value) => max(0, value - mostPeakDbtp),
  },
  'still-mono': {
    label: 'S/M',
    unit: 'dB',
    places: 1,
    read: ({ report }) => report.sideToMidDb,
    // Doubles in one take lie some 3 dB under the middle; wider than that is no better.
    badness: (value) => max(0, -3 - value),
  },
  'only-a-copy': {
    label: 'likeness',
    unit: '',
    places: 2,
    read: ({ report }) => report.likeness?.value ?? null,
    badness: abs,
  },
  cancels: {
    label: 'correlation',
    unit: '',
    places: 2,
    read: ({ report }) => report.correlation,
    badness: (value) => max(0, -value),
  },
  'cancels-in-places': {
    label: 'lost in the worst 3 s',
    unit: 'LU',
    places: 1,
    read: ({ report }) => (report.overTime.worst ? -report.overTime.worst.lossLu : null),
    badness: atMost0,
  },
  drops: {
    label: 'drop',
    unit: 'LU',
    places: 1,
    read: ({ report }) => report.fold.dropLu,
    badness: atMost0,
  },
  hollow: {
    label: 'deepest dip',
    unit: 'dB',
    places: 1,
    read: ({ report }) => report.fold.deepestDipDb,
    badness: atMost0,
  },
  leads: {
    label: 'lead',
    unit: 'ms',
    places: 1,
    // Separate performances lead nobody anywhere.
    read: ({ report }) => pullingLeadMs(report),
    badness: abs,
  },
  leans: {
    label: 'lean',
    unit: 'dB',
    places: 1,
    read: ({ report }) => report.leanDb,
    badness: abs,
  },
  echo: {
    label: 'late by',
    unit: 'ms',
    places: 1,
    read: (_, song, part) => latestVoice(song, part)?.apartMs ?? 0,
    badness: atMost0,
  },
  'low-wide': {
    label: 'S/M under 200 Hz',
    unit: 'dB',
    places: 1,
    read: ({ report }) => report.sideToMidBands.lowDb,
    badness: (value) => max(0, value + 40),
  },
  'low-lost': {
    label: 'lost under 200 Hz',
    unit: 'dB',
    places: 1,
    read: ({ report }) => report.low.stereoDb - report.low.foldDb,
    badness: atMost0,
  },
  'low-soft': {
    label: 'softer under 200 Hz',
    unit: 'dB',
    places: 1,
    read: ({ report, plain }) =>
      report.loudnessLufs === null || plain.lufs === null
        ? null
        : plain.lowDb - plain.lufs - (report.low.stereoDb - report.loudnessLufs),
    badness: abs,
  },
  chorusing: {
    label: 'beats',
    unit: 'Hz',
    places: 1,
    read: ({ beating: { left, right } }) =>
      max(
        ...[left, right].map(({ rateHz, rippleDb }) => (rippleDb >= chorusRippleDb ? rateHz : 0)),
      ),
    badness: atMost0,
  },
  'too-wide': {
    label: 'S/M',
    unit: 'dB',
    places: 1,
    read: ({ report }) => report.sideToMidDb,
    badness: atMost0,
  },
  'spread-too-strong': {
    label: 'lost where sides are furthest apart',
    unit: 'dB',
    places: 1,
    read: (_, __, part) => widestSpreadDb(part),
    badness: atMost0,
  },
  'level-flatters': {
    label: 'louder than plain',
    unit: 'LU',
    places: 1,
    read: ({ report, plain }) =>
      report.loudnessLufs === null || plain.lufs === null ? null : report.loudnessLufs - plain.lufs,
    badness: abs,
  },
  'sides-uneven': {
    label: 'loudness and crest apart',
    unit: 'dB',
    places: 1,
    read: ({ chains }) =>
      chains &&
      abs((chains.first.lufs ?? 0) - (chains.second.lufs ?? 0)) +
        abs((chains.first.crestDb ?? 0) - (chains.second.crestDb ?? 0)),
    badness: atMost0,
  },
  'chains-apart': {
    label: 'lost between the chains',
    unit: 'dB',
    places: 1,
    read: ({ chains }) => chains?.offset?.gainDb ?? null,
    badness: atMost0,
  },
  'squash-differs': {
    label: 'difference of squash, 1 being noticed',
    unit: '',
    places: 2,
    read: ({ report }) => abs(squashDifference(report)),
    badness: atMost0,
  },
  'motion-dies': {
    label: 'motion missing in the fold',
    unit: 'dB',
    places: 1,
    read: ({ motion }) => motion && missingInFold(motion),
    badness: atMost0,
  },
  driven: {
    label: 'copies of a driven take',
    unit: '',
    places: 0,
    read: (_, song, part) => drivenCopies(song, part).length,
    badness: atMost0,
  },
};
