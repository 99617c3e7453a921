import type { StereoReport } from '../measurement/report.ts';
import { figure } from '../quantities/wording.ts';

/** One sentence about what is wrong, where, and by how much. */
export interface Finding {
  readonly code:
    | 'silent'
    | 'still-mono'
    | 'cancels'
    | 'drops'
    | 'hollow'
    | 'leads'
    | 'leans'
    | 'over-peak'
    | 'echo'
    | 'clipped'
    | 'nothing-wrong';
  readonly sentence: string;
}

/** Common practice: from here on a lead or a lean pulls the image aside. */
const noticedLeadMs = 1;
const noticedLeanDb = 1.5;
/** A copy only leads the ear where the sides are alike. */
const copyLikeness = 0.7;

/** What the figures of a stereo stretch mean. Always at least one sentence. */
export function findingsOf(report: StereoReport): Finding[] {
  if (report.loudnessLufs === null)
    return [{ code: 'silent', sentence: 'There is no sound to measure here.' }];
  const found: Finding[] = [];
  const { fold, likeness, leanDb } = report;
  if (report.stillMono)
    found.push({
      code: 'still-mono',
      sentence: `Still mono: the difference lies ${figure(-(report.sideToMidDb ?? -120), 0)} dB under the middle, so both sides are the same. A delay, a tuning or another take on one side makes them differ.`,
    });
  const cancelling = fold.bands.filter((band) => band.lossDb !== null && band.lossDb < -6.5);
  if (report.correlation !== null && report.correlation < -0.3)
    found.push({
      code: 'cancels',
      sentence: `Cancels in the fold: the sides are opposite (correlation ${figure(report.correlation, 2)}). Turn the polarity of one side round.`,
    });
  if (fold.dropLu !== null && fold.dropLu > 3.5)
    found.push({
      code: 'drops',
      sentence: `The fold drops by ${figure(fold.dropLu, 1)} LU against plain at equal loudness${cancelling.length ? `, most of all round ${figure(cancelling[0].hz, 0)} Hz` : ''}.`,
    });
  if (fold.deepestDipDb !== null && fold.deepestDipDb > 3)
    found.push({
      code: 'hollow',
      sentence: `Hollow in the fold: ${figure(fold.deepestDipDb, 1)} dB are missing round ${figure(fold.deepestDipHz ?? 0, 0)} Hz.`,
    });
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
  if (report.truePeakDbtp !== null && report.truePeakDbtp > -1)
    found.push({
      code: 'over-peak',
      sentence: `The true peak is ${figure(report.truePeakDbtp, 1)} dBTP, over −1 dBTP.`,
    });
  if (found.length === 0)
    found.push({ code: 'nothing-wrong', sentence: 'Nothing wrong was found.' });
  return found;
}
