import { holds } from '../measurement/fold.ts';
import type { StereoReport } from '../measurement/report.ts';
import { clock, figure, plural } from '../quantities/wording.ts';
import type { Finding } from './finding.ts';

// All thresholds here are common practice unless a source stands beside them.

/** From here on a lead or a lean pulls the image aside. */
const noticedLeadMs = 1;
const noticedLeanDb = 1.5;
/** Sides that share so much are no separate performances. */
export const copyLikeness = 0.7;
/** From here on one side is nothing but the other at another time, if most of its bands say so. */
const onlyCopyLikeness = 0.9;
const copiedBands = 0.65;
/** Far apart, bands tell less of what is the same: takes that fit a grid by the beat are not so alike over all. */
const farMs = 100;
const copiedBandsFar = 0.4;
/** Half a sample at 48 kHz. */
const shortestCopyMs = 0.01;
/** A side that lies so far under the other one is not heard beside it. */
const oneSidedDb = 40;
/** A constant part over this takes headroom, and clicks where it is cut. */
const noticedDcDb = -50;
/** Hum this far under the low end is covered by it. */
const noticedHumDb = -40;
/** Under this the sides are opposite rather than wide. */
const cancelling = -0.5;
/** More difference than middle by so much is more than any two unrelated sides have. */
const widerThanSafeDb = 2;
/** A part whose low end has less of the power than this has no low end to lose. */
export const lowShare = 0.15;
const lowWideDb = -6;
/** Two performances have as much difference as middle; more is against each other. */
const lowApartDb = 1.5;
/** Two unrelated sides lose 3.01 dB; more is cancelled. */
const lowLostDb = 4.5;
/** Short of this the worst 3 s are like the rest. */
const worseMomentLu = 4;
/** A held note of two performances beats slowly: 3 s of it may lose so much. */
const breakingMomentLu = 9;
const squashCrestDb = 1.8;
/** By this share the level of one side moves less than that of the other. */
const squashFall = 0.2;

/** EBU R 128 allows a true peak of −1 dBTP. */
export const mostPeakDbtp = -1;

/**
 * What the figures of a stereo stretch mean. Always at least one sentence.
 * @param startSeconds where in the song the stretch begins: places are told from the song's beginning
 */
export function findingsOf(report: StereoReport, startSeconds = 0): Finding[] {
  if (report.loudnessLufs === null)
    return [{ code: 'silent', sentence: 'There is no sound to measure here.' }];
  const one = oneSided(report);
  const found = [
    ...one,
    ...gaps(report, startSeconds),
    ...unwanted(report),
    ...peaks(report),
    // Of a side that is not there nothing else is to be said.
    ...(one.length > 0
      ? []
      : [
          ...sameness(report),
          ...foldFindings(report, startSeconds),
          ...sideways(report),
          ...lowEnd(report),
          ...squash(report),
        ]),
  ];
  if (found.length === 0)
    found.push({ code: 'nothing-wrong', sentence: 'Nothing wrong was found.' });
  return found;
}

function oneSided({ leanDb, dynamics: { left, right } }: StereoReport): Finding[] {
  const silent = !left ? 'L' : !right ? 'R' : null;
  const soft = leanDb !== null && Math.abs(leanDb) >= oneSidedDb ? (leanDb > 0 ? 'R' : 'L') : null;
  const side = silent ?? soft;
  if (side === null) return [];
  return [
    {
      code: 'one-sided',
      sentence: silent
        ? `${side} is silent: all there is comes from ${side === 'L' ? 'R' : 'L'}.`
        : `${side} is next to silent: it lies ${figure(Math.abs(leanDb ?? 0), 0)} dB under ${side === 'L' ? 'R' : 'L'}.`,
    },
  ];
}

function gaps({ dropOuts }: StereoReport, startSeconds: number): Finding[] {
  const [first] = dropOuts;
  if (!first) return [];
  const place = {
    fromSeconds: startSeconds + first.fromSeconds,
    toSeconds: startSeconds + first.toSeconds,
  };
  const side = first.side === 'left' ? 'L' : 'R';
  const more = dropOuts.length - 1;
  return [
    {
      code: 'drops-out',
      sentence: `${side} drops out from ${clock(place.fromSeconds, 1)} to ${clock(place.toSeconds, 1)} while ${side === 'L' ? 'R' : 'L'} goes on${more > 0 ? `, and ${plural(more, 'time')} more` : ''}.`,
      place,
    },
  ];
}

/** What nobody plays. */
function unwanted({ dcDb, hum, loudnessLufs }: StereoReport): Finding[] {
  const found: Finding[] = [];
  const most = Math.max(dcDb.left ?? -Infinity, dcDb.right ?? -Infinity);
  if (loudnessLufs !== null && most > noticedDcDb)
    found.push({
      code: 'dc',
      sentence: `A constant part (DC) of ${figure(most, 0)} dBFS takes headroom and clicks where the sound is cut: a low cut takes it away. All figures are without it.`,
    });
  if (hum && hum.levelDb > noticedHumDb)
    found.push({
      code: 'hum',
      sentence: `Hum of ${hum.hz} Hz and its multiples stands under the sound, ${figure(-hum.levelDb, 0)} dB under what else is low.`,
    });
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
  if (!likeness || Math.abs(likeness.value) < onlyCopyLikeness) return [];
  const apart = Math.abs(likeness.lagMs);
  const bands = apart < farMs ? copiedBands : copiedBandsFar;
  if (apart < shortestCopyMs || report.bandsAlike < bands) return [];
  const late = likeness.lagMs > 0 ? 'R' : 'L';
  const turned = likeness.value < 0;
  const far = apart < 1 ? `${figure(apart, 3)} ms` : `${figure(apart, 1)} ms`;
  return [
    {
      code: 'only-a-copy',
      sentence: `${late} is only ${turned ? 'an inverted' : 'a'} copy of ${late === 'R' ? 'L' : 'R'}, ${far} later (likeness ${figure(likeness.value, 2)}): wide, but not a second performance, and combed in the fold. ${secondTake(report)}`,
    },
  ];
}

/** What two performances, hard left and right, would do in the fold: their powers add. */
const apartLossDb = 10 * Math.log10(2);

function secondTake({ fold: { lossDb, deepestDipDb } }: StereoReport): string {
  const now = [
    lossDb !== null && `loses ${figure(-lossDb, 1)} dB in the fold`,
    deepestDipDb !== null && `dips by ${figure(Math.abs(deepestDipDb), 1)} dB`,
  ].filter(Boolean);
  return `A true second take would lose ${figure(apartLossDb, 1)} dB evenly and cut nothing out${now.length > 0 ? `; this ${now.join(' and ')}` : ''}.`;
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
  if (fold.dropLu !== null && fold.dropLu - fold.dropDoubtLu > holds.dropLu)
    found.push({
      code: 'drops',
      sentence: `The fold drops by ${figure(fold.dropLu, 1)} LU against plain at equal loudness${cancelled.length ? `, most of all round ${figure(cancelled[0].hz, 0)} Hz` : ''}: there is more difference than middle.`,
    });
  if (fold.deepestDipDb !== null && fold.sureDipDb > holds.dipDb) {
    const why = comb
      ? `: a copy ${figure(comb.delayMs, 1)} ms late cuts it at ${comb.notchesHz
          .slice(0, 3)
          .map((hz) => figure(hz, 0))
          .join(', ')} Hz and so on`
      : '';
    found.push({
      code: 'hollow',
      sentence: `Hollow in the fold: ${figure(fold.deepestDipDb, 1)} dB${fold.dipDoubtDb >= 0.5 ? ` (at least ${figure(fold.sureDipDb, 1)})` : ''} are missing round ${figure(fold.deepestDipHz ?? 0, 0)} Hz${why}.`,
    });
  }
  return found;
}

function sideways(report: StereoReport): Finding[] {
  const { leanDb, sideToMidDb, correlation } = report;
  const found: Finding[] = [];
  const leadMs = pullingLeadMs(report);
  if (Math.abs(leadMs) >= noticedLeadMs)
    found.push({
      code: 'leads',
      sentence: `${leadMs > 0 ? 'L' : 'R'} speaks first by ${figure(Math.abs(leadMs), 1)} ms, so the image pulls to that side.`,
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

/** By how much L speaks before R where that pulls the image; 0 where no lead is sure, or the sides are separate performances. */
export function pullingLeadMs({ leadMs, likeness }: StereoReport): number {
  return likeness && likeness.value >= copyLikeness ? (leadMs ?? 0) : 0;
}

function lowEnd(report: StereoReport): Finding[] {
  const {
    low,
    sideToMidBands: { lowDb },
    correlation,
    likeness,
  } = report;
  if (low.share < lowShare || (correlation ?? 0) < cancelling) return [];
  const found: Finding[] = [];
  const lost = low.stereoDb - low.foldDb;
  if (lost > lowLostDb)
    found.push({
      code: 'low-lost',
      sentence: `The low end is lost in the fold: under 200 Hz it loses ${figure(lost, 1)} dB, since the sides' lows are against each other.`,
    });
  // Two performances are as wide there as everywhere, and fold as they do everywhere.
  else if (
    lowDb !== null &&
    lowDb > (Math.abs(likeness?.value ?? 0) >= copyLikeness ? lowWideDb : lowApartDb)
  )
    found.push({
      code: 'low-wide',
      sentence: `The low end is wide: under 200 Hz the difference lies at ${figure(lowDb, 1)} dB against the middle, where it is soft on speakers and loses ${figure(lost, 1)} dB in the fold.`,
    });
  return found;
}

/**
 * How much more the left side is squashed than the right one, below 0 the other way: 1 is noticed. What its crest within a moment
 * and its fall from loud to soft say together; where they contradict each other it is no squash.
 */
export function squashDifference({ dynamics: { left, right }, levelRatio }: StereoReport): number {
  if (!left || !right) return 0;
  const byCrest = (right.briefCrestDb - left.briefCrestDb) / squashCrestDb;
  const byFall =
    levelRatio > 1 ? (1 - 1 / levelRatio) / squashFall : -(1 - levelRatio) / squashFall;
  return byCrest * byFall < 0 ? 0 : byCrest + byFall;
}

function squash(report: StereoReport): Finding[] {
  const {
    dynamics: { left, right },
  } = report;
  const difference = squashDifference(report);
  if (!left || !right || Math.abs(difference) < 1) return [];
  const [side, squashed, free] =
    difference > 0 ? (['L', left, right] as const) : (['R', right, left] as const);
  return [
    {
      code: 'squash-differs',
      sentence: `${side} is squashed more: within a moment its crest is ${figure(squashed.briefCrestDb, 1)} dB against ${figure(free.briefCrestDb, 1)} dB, and it falls by ${figure(squashed.spreadDb, 1)} dB against ${figure(free.spreadDb, 1)} dB, so it stands out where chords are held.`,
    },
  ];
}
