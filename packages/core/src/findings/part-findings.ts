import { figure } from '../quantities/wording.ts';
import type { Part, Song } from '../song/song.ts';
import { isUntouched } from '../image/image.ts';
import { findingCodes, type Finding, type FindingCode } from './finding.ts';
import { findingsOf, lowShare } from './findings.ts';
import { beatingHz, type PartFigures } from './part-figures.ts';
import { sourceFindings } from './source-findings.ts';

/** Faster beats than this, as deep as that, are heard as chorusing: common practice. */
const chorusRateHz = 2.5;
export const chorusRippleDb = 10;
/** Two unrelated sides are 3 LU louder than plain; more is level, not width. */
const flatteringLu = 3.5;
/** A low end so much softer than plain's, at equal loudness, is missed: common practice. */
const softLowDb = 3;

/** What is wrong with a file, whatever is made of it. */
const ofTheFile: readonly FindingCode[] = ['silent', 'drops-out', 'clipped', 'dc', 'hum'];

/** All that is to be said of a part: what was measured, what its source and its voices say. Graver things first. */
export function findingsOfPart(
  figures: PartFigures,
  song: Song,
  part: Part,
  startSeconds = 0,
): Finding[] {
  // What nobody has touched yet has no faults of its own: that it is mono is how it came.
  const all = allFindings(figures, song, part, startSeconds);
  return isUntouched(part.image) ? all.filter(({ code }) => ofTheFile.includes(code)) : all;
}

function allFindings(
  figures: PartFigures,
  song: Song,
  part: Part,
  startSeconds: number,
): Finding[] {
  const measured = findingsOf(figures.report, startSeconds);
  if (figures.report.loudnessLufs === null) return measured;
  const own = [
    ...sourceFindings(song, part),
    ...chorusing(figures),
    ...flattering(figures),
    ...softLow(figures),
  ];
  if (own.length === 0) return measured;
  return [...own, ...measured.filter(({ code }) => code !== 'nothing-wrong')].sort(
    (a, b) => findingCodes.indexOf(a.code) - findingCodes.indexOf(b.code),
  );
}

function chorusing({ beating }: PartFigures): Finding[] {
  const heard = (['left', 'right'] as const).filter(
    (ear) => beating[ear].rateHz >= chorusRateHz && beating[ear].rippleDb >= chorusRippleDb,
  );
  if (heard.length === 0) return [];
  const [ear] = heard.sort((a, b) => beating[b].rateHz - beating[a].rateHz);
  const { rateHz, rippleDb } = beating[ear];
  const where = heard.length === 2 ? 'Both ears beat' : `The ${ear} ear beats`;
  return [
    {
      code: 'chorusing',
      sentence: `Chorusing: ${where} ${figure(rateHz, 1)} times a second at ${beatingHz} Hz, by ${figure(rippleDb, 0)} dB, since a tuned voice meets another one there. Fewer cents or less of it calm that.`,
    },
  ];
}

function flattering({ report, plain }: PartFigures): Finding[] {
  if (report.loudnessLufs === null || plain.lufs === null) return [];
  const louder = report.loudnessLufs - plain.lufs;
  if (louder <= flatteringLu) return [];
  return [
    {
      code: 'level-flatters',
      sentence: `The level flatters: the image is ${figure(louder, 1)} LU louder than plain, and what is louder seems wider.`,
    },
  ];
}

function softLow({ report, plain }: PartFigures): Finding[] {
  if (report.loudnessLufs === null || plain.lufs === null || report.low.share === 0) return [];
  const change = report.low.stereoDb - report.loudnessLufs - (plain.lowDb - plain.lufs);
  // What share of plain's power it was: the same change away.
  if (change > -softLowDb || report.low.share * 10 ** (-change / 10) < lowShare) return [];
  return [
    {
      code: 'low-soft',
      sentence: `The low end went soft: under 200 Hz it lies ${figure(-change, 1)} dB lower than in plain at equal loudness, since the voices cut it or are against each other there.`,
    },
  ];
}
