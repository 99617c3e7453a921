import { figure } from '../quantities/wording.ts';
import { rateOf, type Part, type Song } from '../song/song.ts';
import { isUntouched } from '../image/image.ts';
import { findingCodes, type Finding, type FindingCode } from './finding.ts';
import { findingsOf, lowShare } from './findings.ts';
import type { Motion } from './motion.ts';
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
    ...chainsApart(figures, rateOf(song)),
    ...motionDies(figures),
  ];
  const uneven = sidesUneven(figures, measured);
  own.push(...uneven);
  if (own.length === 0) return measured;
  const said: readonly FindingCode[] =
    uneven.length > 0 ? ['nothing-wrong', 'squash-differs'] : ['nothing-wrong'];
  return [...own, ...measured.filter(({ code }) => !said.includes(code))].sort(
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

/** Chains farther apart than this were set so: common practice. */
const meantMs = 3;
/** What lining up gives back is worth a word from here on, in dB; and so much alike they have to be. */
const worthDb = 1.5;
const leastAlike = 0.3;

function chainsApart({ chains }: PartFigures, rateHz: number): Finding[] {
  if (!chains?.offset) return [];
  const { frames, polarity, likeness, gainDb } = chains.offset;
  const ms = Math.abs(frames * 1000) / rateHz;
  const turned = polarity === 'inverted';
  if (gainDb < worthDb || likeness < leastAlike || (ms > meantMs && !turned)) return [];
  const way = turned ? ', one of them the other way up' : '';
  return [
    {
      code: 'chains-apart',
      sentence: `The chains of both sides lie ${figure(ms, 2)} ms (${figure(Math.abs(frames), 1)} samples) apart${way}: lined up, their fold is ${figure(gainDb, 1)} dB louder.`,
    },
  ];
}

/** Shallower than this a motion is hardly heard: common practice. */
const leastMotionDb = 3;

/** By how much a motion is too shallow in the fold, in dB: it should have half of what the sides have. */
export function missingInFold({ sidesDb, foldDb }: Motion): number {
  return sidesDb < leastMotionDb ? 0 : Math.max(0, sidesDb / 2 - foldDb);
}

function motionDies({ motion }: PartFigures): Finding[] {
  if (!motion || missingInFold(motion) === 0) return [];
  const { rateHz, sidesDb, foldDb } = motion;
  const places = rateHz < 1 ? 2 : 1;
  return [
    {
      code: 'motion-dies',
      sentence: `The motion dies in the fold: ${figure(rateHz, places)} times a second a side goes up and down by ${figure(sidesDb, 1)} dB, the fold by ${figure(foldDb, 1)} dB, since one side makes up for the other.`,
    },
  ];
}

/** Chains that squash unlike: said with what makes them even, their drives, in place of what is said of any sides. */
function sidesUneven({ chains }: PartFigures, measured: readonly Finding[]): Finding[] {
  const squash = measured.find(({ code }) => code === 'squash-differs');
  if (!squash || !chains) return [];
  return [
    {
      code: 'sides-uneven',
      sentence: `${squash.sentence} Their chains can be made even, by drive and output.`,
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
