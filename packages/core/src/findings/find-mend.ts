import type { Image } from '../image/image.ts';
import { holds, type Verdict } from '../measurement/fold.ts';
import type { StereoReport } from '../measurement/report.ts';
import type { Part, Song } from '../song/song.ts';
import type { Outcome } from '../outcome.ts';
import { withChanges, type EvenedChains } from './chains.ts';
import type { FindingCode } from './finding.ts';
import { pullingLeadMs } from './findings.ts';
import { gauges } from './gauges.ts';
import { keptWidth, mendsFor } from './mends.ts';
import { motionMends, withMotion, type MovedOtherwise } from './motion-mends.ts';
import { findingsOfPart } from './part-findings.ts';
import type { PartFigures } from './part-figures.ts';
import { changesInWords } from './variations.ts';

/** A mend that was rendered and measured. */
export interface Mend {
  readonly code: FindingCode;
  readonly image: Image;
  /** What moves otherwise along the song; nothing where the image mends. */
  readonly moves: readonly MovedOtherwise[];
  /** What it changes. */
  readonly words: string;
  /** The figure that the finding stands on. */
  readonly before: number;
  readonly after: number;
  readonly widthBeforeDb: number | null;
  readonly widthAfterDb: number | null;
  readonly verdict: Verdict | null;
  /** Whether the finding is gone with it, or only less. */
  readonly gone: boolean;
  /** Whether it is fitted to the stretch at hand: on another one it does harm. */
  readonly onlyHere: boolean;
}

/** Measures a part of a song over the stretch at hand. */
export type MeasureSong = (song: Song) => Promise<PartFigures>;

/** Makes two chains of the part as loud and as squashed as each other. */
export type EvenChains = (
  voices: readonly [string, string],
  tick: (share: number) => void,
) => Promise<Outcome<EvenedChains>>;

/** So much of the width may be lost or won. */
export const widthKeptDb = 1;
/** A mend makes no lean or lead that was not there, and no dip that is so much deeper. */
const mostLeanDb = 1.5;
const mostLeadMs = 1;
/** What is measured again differs by so much. */
const slackDb = 0.2;
const deeperDipDb = 1;
const bottomDb = 12;
/** What mends a cancellation is still wide: 12 dB of difference under the middle is hardly any. */
const leastWidthDb = -12;

const { abs, max, min } = Math;

/**
 * Whether one thing was bought with another: a lean, a lead, a deeper dip elsewhere, all of the width.
 * @param code what is mended: it may well change its own figure
 */
export function costsElsewhere(
  code: FindingCode | null,
  before: StereoReport,
  after: StereoReport,
): boolean {
  const lean = (report: StereoReport) => abs(report.leanDb ?? 0);
  const lead = (report: StereoReport) => abs(pullingLeadMs(report));
  // A comb's notch has no bottom: beyond this it is as hollow as can be.
  const dip = (report: StereoReport) => min(bottomDb, report.fold.deepestDipDb ?? 0);
  if (lean(after) > max(mostLeanDb, lean(before) + slackDb)) return true;
  if (lead(after) > max(mostLeadMs, lead(before)) + 0.05) return true;
  // What makes two chains of one take alike costs width, which is what sets them apart: the mend says how much.
  if (code === 'chains-apart' || code === 'sides-uneven') return false;
  // Two sides that were the same had none: what makes them differ makes some.
  if (code !== 'still-mono' && dip(after) > max(dip(before), holds.dipDb) + deeperDipDb)
    return true;
  const width = after.sideToMidDb ?? -120;
  return width < leastWidthDb && width < (before.sideToMidDb ?? -120) - widthKeptDb;
}

const verdictOrder: readonly (Verdict | null)[] = ['holds', 'watch', 'breaks', null];

/**
 * Renders and measures what may mend a finding and gives back what does best; null where nothing does. A mend brings the
 * finding's figure down by a tenth at least, keeps S/M within 1 dB (save where the width itself is the fault), and leaves the
 * verdict of the fold no worse. What holds on another stretch, too, goes before what does only here.
 * @param tick is told the share done between two measurements; it may throw to stop
 * @param elsewhere measures another stretch; left out where there is none
 * @param even makes two chains of the part even; left out where that is not tried
 */
export async function findMend(
  code: FindingCode,
  song: Song,
  partId: string,
  measure: MeasureSong,
  tick: (share: number) => void = () => {},
  elsewhere: MeasureSong | null = null,
  even: EvenChains | null = null,
): Promise<Mend | null> {
  const gauge = gauges[code];
  if (!gauge) return null;
  const part = song.parts[partId];
  const before = await measure(song);
  const value = gauge.read(before, song, part);
  if (value === null) return null;
  const images =
    code === 'sides-uneven'
      ? await evenImages(part.image, before, even, (share) => tick(0.8 * share))
      : mendsFor(code, song, part, before);
  const rateHz = song.rateHz ?? 48_000;
  const candidates: readonly Candidate[] = [
    ...images.map((image) => ({
      image,
      moves: [],
      words: changesInWords(part.image, image, rateHz),
    })),
    ...(code === 'motion-dies' ? motionMends(song, part) : []).map((mend) => ({
      image: part.image,
      ...mend,
    })),
  ];
  const widthBeforeDb = before.report.sideToMidDb;
  const ranked: Ranked[] = [];
  const harms = elsewhere && (await harmOn(elsewhere, code, song, partId));
  for (const [n, { image, moves, words }] of candidates.entries()) {
    tick((n + 1) / (candidates.length + 1));
    const mended: Part = { ...part, image };
    const changed = withMotion({ ...song, parts: { ...song.parts, [partId]: mended } }, moves);
    const figures = await measure(changed);
    const after = gauge.read(figures, changed, mended);
    if (after === null || gauge.badness(after) >= gauge.badness(value) * 0.9) continue;
    const { report } = figures;
    const widthAfterDb = report.sideToMidDb;
    if (widthAfterDb === null || widthBeforeDb === null) continue;
    if (!isWidthKept(code, before.report, report)) continue;
    if (costsElsewhere(code, before.report, report)) continue;
    const { verdict } = report.fold;
    const worse = verdictOrder.indexOf(verdict) - verdictOrder.indexOf(before.report.fold.verdict);
    if (worse > 0) continue;
    const found = findingsOfPart(figures, changed, mended).filter(
      (finding) => finding.code !== 'nothing-wrong',
    );
    const gone = found.every((finding) => finding.code !== code);
    // Of those that do as much the one that leaves the width more as it was: it is not there to be spent.
    const spent = keptWidth(code) === 'none' ? 0 : abs(widthAfterDb - widthBeforeDb);
    const rank = [gone ? 0 : 1, found.length, worse, Math.ceil(spent / 0.25), gauge.badness(after)];
    const row: Ranked = {
      rank,
      song: changed,
      known: null,
      mend: {
        code,
        image,
        moves,
        words,
        before: value,
        after,
        widthBeforeDb,
        widthAfterDb,
        verdict,
        gone,
        onlyHere: false,
      },
    };
    // Nothing is left to be said, and nothing was paid: no other can do better.
    const enough = found.length === 0 && verdict === 'holds' && spent <= 0.25;
    if (enough) row.known = (await harms?.(changed)) ?? false;
    if (row.known === false) return row.mend;
    ranked.push(row);
  }
  ranked.sort((a, b) => (isLess(a.rank, b.rank) ? -1 : isLess(b.rank, a.rank) ? 1 : 0));
  for (const row of ranked.slice(0, triedElsewhere)) {
    tick(candidates.length / (candidates.length + 1));
    if (!(row.known ?? (await harms?.(row.song)))) return row.mend;
  }
  return ranked.length > 0 ? { ...ranked[0].mend, onlyHere: true } : null;
}

async function evenImages(
  image: Image,
  { chains }: PartFigures,
  even: EvenChains | null,
  tick: (share: number) => void,
): Promise<readonly Image[]> {
  if (!chains || !even) return [];
  const evened = await even(chains.voices, tick);
  return evened.ok ? [withChanges(image, evened.value.changes)] : [];
}

/** What may mend it. */
type Candidate = Pick<Mend, 'image' | 'moves' | 'words'>;

/** A mend that helps here. */
interface Ranked {
  readonly mend: Mend;
  readonly rank: readonly number[];
  readonly song: Song;
  /** Whether it harms elsewhere, once that was measured. */
  known: boolean | null;
}

/** So many of the best are tried on another stretch. */
const triedElsewhere = 4;

/** Whether a change makes things worse on another stretch: the figure of the finding, the verdict, or what it costs. */
async function harmOn(
  measure: MeasureSong,
  code: FindingCode,
  song: Song,
  partId: string,
): Promise<(changed: Song) => Promise<boolean>> {
  const gauge = gauges[code];
  const before = await measure(song);
  const value = gauge?.read(before, song, song.parts[partId]) ?? null;
  const order = ({ report }: PartFigures) => verdictOrder.indexOf(report.fold.verdict);
  // Nothing sounds there: it tells nothing.
  if (before.report.loudnessLufs === null) return () => Promise.resolve(false);
  return async (changed) => {
    const figures = await measure(changed);
    const after = gauge?.read(figures, changed, changed.parts[partId]) ?? null;
    const worse =
      gauge !== null &&
      value !== null &&
      after !== null &&
      gauge.badness(after) > gauge.badness(value) * 1.1;
    return (
      worse || order(figures) > order(before) || costsElsewhere(code, before.report, figures.report)
    );
  };
}

/** Whether S/M is within 1 dB of what it was, as far as the finding lets it. */
export function isWidthKept(code: FindingCode, before: StereoReport, after: StereoReport): boolean {
  const kept = (a: number | null, b: number | null) =>
    a === null || b === null || Math.abs(a - b) <= widthKeptDb;
  switch (keptWidth(code)) {
    case 'none':
      return true;
    case 'all':
      return kept(before.sideToMidDb, after.sideToMidDb);
    case 'above the low end':
      return (
        kept(before.sideToMidBands.midDb, after.sideToMidBands.midDb) &&
        kept(before.sideToMidBands.highDb, after.sideToMidBands.highDb)
      );
  }
}

function isLess(a: readonly number[], b: readonly number[]): boolean {
  const at = a.findIndex((value, n) => value !== b[n]);
  return at >= 0 && a[at] < b[at];
}
