import { holds } from '../measurement/fold.ts';
import type { StereoReport } from '../measurement/report.ts';
import { clock, figure } from '../quantities/wording.ts';
import type { Finding } from './finding.ts';

// All thresholds here are common practice unless a source stands beside them.

/** From here on a lead or a lean pulls the image aside. */
const noticedLeadMs = 1;
const noticedLeanDb = 1.5;
/** A copy only leads the ear where the sides are alike. */
export const copyLikeness = 0.7;
/** From here on one side is nothing but the other at another time. */
const onlyCopyLikeness = 0.9;
const shortestCopyMs = 0.05;
/** Under this the sides are opposite rather than wide. */
const cancelling = -0.5;
/** More difference than middle by so much is more than any two unrelated sides have. */
const widerThanSafeDb = 2;
/** A part whose low end has less of the power than this has no low end to lose. */
export const lowShare = 0.15;
const lowWideDb = -6;
/** Two unrelated sides lose 3.01 dB; more is cancelled. */
const lowLostDb = 4.5;
/** Short of this the worst 3 s are like the rest. */
const worseMomentLu = 4;
const breakingMomentLu = 6;
const squashCrestDb = 3;
const squashSpreadDb = 5;

/** EBU R 128 allows a true peak of −1 dBTP. */
export const mostPeakDbtp = -1;

/**
 * What the figures of a stereo stretch mean. Always at least one sentence.
 * @param startSeconds where in the song the stretch begins: places are told from the song's beginning
 */
export function findingsOf(report: StereoReport, startSeconds = 0): Finding[] {
  if (report.loudnessLufs === null)
    return [{ code: 'silent', sentence: 'There is no sound to measure here.' }];
  const found = [
    ...peaks(report),
    ...sameness(report),
    ...foldFindings(report, startSeconds),
    ...sideways(report),
    ...lowEnd(report),
    ...squash(report),
  ];
  if (found.length === 0)
    found.push({ code: 'nothing-wrong', sentence: 'Nothing wrong was found.' });
  return found;
}

function peaks({ truePeakDbtp }: StereoReport): Finding[] {
  if (truePeakDbtp === null || truePeakDbtp <= mostPeakDbtp) return [];
  return [
    {
      code: 'over-peak',
      sentence: `The true peak is ${figure(truePeakDbtp, 1)} dBTP, over −1 dBTP: it may clip where it is converted.`,
    },
  ];
}

/** Sides that are the same, or the same at another time. */
function sameness(report: StereoReport): Finding[] {
  const { likeness } = report;
  if (report.stillMono) {
    const under = -(report.sideToMidDb ?? -120);
    return [
      {
        code: 'still-mono',
        sentence: `Still mono: the difference lies ${figure(under, 0)} dB under the middle, so both sides are the same. A delay, a tuning or another take on one side makes them differ.`,
      },
    ];
  }
  if (!likeness || likeness.value < onlyCopyLikeness || Math.abs(likeness.lagMs) < shortestCopyMs)
    return [];
  const late = likeness.lagMs > 0 ? 'R' : 'L';
  return [
    {
      code: 'only-a-copy',
      sentence: `${late} is only a copy of ${late === 'R' ? 'L' : 'R'}, ${figure(Math.abs(likeness.lagMs), 1)} ms later (likeness ${figure(likeness.value, 2)}): wide, but not a second performance, and combed in the fold.`,
    },
  ];
}

function foldFindings(report: StereoReport, startSeconds: number): Finding[] {
  const { fold, overTime, comb } = report;
  const found: Finding[] = [];
  if (report.correlation !== null && report.correlation < cancelling)
    found.push({
      code: 'cancels',
      sentence: `Cancels in the fold: the sides are opposite (correlation ${figure(report.correlation, 2)}). One side's polarity is the other way round.`,
    });
  const { worst } = overTime;
  const loss = fold.lossDb ?? 0;
  if (worst && -worst.lossLu > breakingMomentLu && loss - worst.lossLu > worseMomentLu) {
    const place = {
      fromSeconds: startSeconds + worst.fromSeconds,
      toSeconds: startSeconds + worst.toSeconds,
    };
    found.push({
      code: 'cancels-in-places',
      sentence: `Cancels from ${clock(place.fromSeconds, 1)} to ${clock(place.toSeconds, 1)}: the fold loses ${figure(-worst.lossLu, 1)} LU there, against ${figure(-loss, 1)} LU over all.`,
      place,
    });
  }
  const cancelled = fold.bands.filter((band) => band.lossDb !== null && band.lossDb < -6.5);
  if (fold.dropLu !== null && fold.dropLu > holds.dropLu)
    found.push({
      code: 'drops',
      sentence: `The fold drops by ${figure(fold.dropLu, 1)} LU against plain at equal loudness${cancelled.length ? `, most of all round ${figure(cancelled[0].hz, 0)} Hz` : ''}: there is more difference than middle.`,
    });
  if (fold.deepestDipDb !== null && fold.deepestDipDb > holds.dipDb) {
    const why = comb
      ? `: a copy ${figure(comb.delayMs, 1)} ms late cuts it at ${comb.notchesHz
          .slice(0, 3)
          .map((hz) => figure(hz, 0))
          .join(', ')} Hz and so on`
      : '';
    found.push({
      code: 'hollow',
      sentence: `Hollow in the fold: ${figure(fold.deepestDipDb, 1)} dB are missing round ${figure(fold.deepestDipHz ?? 0, 0)} Hz${why}.`,
    });
  }
  return found;
}

function sideways({ likeness, leanDb, sideToMidDb, correlation }: StereoReport): Finding[] {
  const found: Finding[] = [];
  if (likeness && likeness.value >= copyLikeness && Math.abs(likeness.lagMs) >= noticedLeadMs)
    found.push({
      code: 'leads',
      sentence: `${likeness.lagMs > 0 ? 'L' : 'R'} speaks first by ${figure(Math.abs(likeness.lagMs), 1)} ms, so the image pulls to that side.`,
    });
  if (leanDb !== null && Math.abs(leanDb) >= noticedLeanDb)
    found.push({
      code: 'leans',
      sentence: `The image leans: ${leanDb > 0 ? 'L' : 'R'} is heavier by ${figure(Math.abs(leanDb), 1)} dB.`,
    });
  // Sides that are opposite altogether are said to cancel.
  if (
    sideToMidDb !== null &&
    sideToMidDb > widerThanSafeDb &&
    (correlation === null || correlation >= cancelling)
  )
    found.push({
      code: 'too-wide',
      sentence: `Wider than safe: the difference is ${figure(sideToMidDb, 1)} dB over the middle, more than two unrelated sides have.`,
    });
  return found;
}

function lowEnd({ low, sideToMidBands: { lowDb }, correlation }: StereoReport): Finding[] {
  if (low.share < lowShare || (correlation ?? 0) < cancelling) return [];
  const found: Finding[] = [];
  const lost = low.stereoDb - low.foldDb;
  if (lost > lowLostDb)
    found.push({
      code: 'low-lost',
      sentence: `The low end is lost in the fold: under 200 Hz it loses ${figure(lost, 1)} dB, since the sides' lows are against each other.`,
    });
  else if (lowDb !== null && lowDb > lowWideDb)
    found.push({
      code: 'low-wide',
      sentence: `The low end is wide: under 200 Hz the difference lies at ${figure(lowDb, 1)} dB against the middle, where it is soft on speakers and loses ${figure(lost, 1)} dB in the fold.`,
    });
  return found;
}

function squash({ dynamics: { left, right } }: StereoReport): Finding[] {
  if (!left || !right) return [];
  const crest = left.crestDb - right.crestDb;
  const spread = left.spreadDb - right.spreadDb;
  if (Math.abs(crest) < squashCrestDb && Math.abs(spread) < squashSpreadDb) return [];
  const squashed = crest + spread < 0 ? 'L' : 'R';
  return [
    {
      code: 'squash-differs',
      sentence: `${squashed} is squashed more: crests are ${figure(left.crestDb, 1)} dB on L and ${figure(right.crestDb, 1)} dB on R, so one side stands out where chords are held.`,
    },
  ];
}
