import {
  lowBand,
  sidesByBand,
  sideToMidBands,
  type BandSides,
  type LowBand,
  type SideToMidBands,
} from './across-bands.ts';
import { combInSound, type CombInSound } from './comb-in-sound.ts';
import { DynamicsMeter, type Dynamics } from './dynamics.ts';
import type { Lufs } from '../quantities/units.ts';
import { foldForOne, LoudnessMeter } from './loudness.ts';
import { lossOverTime, type LossOverTime } from './over-time.ts';
import { TruePeakMeter } from './true-peak.ts';
import {
  deepestDip,
  foldColour,
  foldLossByBand,
  foldVerdict,
  type BandLoss,
  type ColourPoint,
  type Verdict,
} from './fold.ts';
import { visitPairBlocks } from '../signal/pair-blocks.ts';
import { LikenessMeter } from './likeness.ts';
import { correlation, isStillMono, leanDb, sideSums, sideToMidDb, type SideSums } from './sides.ts';
import { foldSpectrum, sidesSpectrum, StereoSpectraMeter } from './spectra.ts';

/**
 * The figures of one stereo stretch, as the report of docs/image-file.md has them. null where there is no figure
 * (silence, or a side without sound).
 */
export interface StereoReport {
  readonly rateHz: number;
  readonly frames: number;
  readonly loudnessLufs: number | null;
  readonly truePeakDbtp: number | null;
  readonly samplePeakDbfs: number | null;
  readonly correlation: number | null;
  readonly sideToMidDb: number | null;
  readonly stillMono: boolean;
  readonly likeness: { readonly value: number; readonly lagMs: number } | null;
  readonly fold: {
    readonly lossDb: number | null;
    readonly dropLu: number | null;
    readonly deepestDipDb: number | null;
    readonly deepestDipHz: number | null;
    readonly verdict: Verdict | null;
    readonly bands: readonly BandLoss[];
  };
  /** Above 0: L speaks first. */
  readonly leadMs: number | null;
  /** Above 0: L is heavier. */
  readonly leanDb: number | null;
  /** EBU Tech 3342; 0 where less than 3 s sound. */
  readonly loudnessRangeLu: number;
  /** Of each side; null where it is silent. */
  readonly dynamics: { readonly left: Dynamics | null; readonly right: Dynamics | null };
  readonly sideToMidBands: SideToMidBands;
  readonly bandSides: readonly BandSides[];
  readonly low: LowBand;
  /** The comb that one side makes with the other in the fold, found in the sound. */
  readonly comb: CombInSound | null;
  readonly overTime: LossOverTime;
}

export interface MeasuredStereo {
  readonly report: StereoReport;
  /** The fold against the sides' power in twelfth octaves, for drawing. */
  readonly colour: readonly ColourPoint[];
}

/** Below this likeness the sides are separate performances, and which one leads is not one figure. */
const leadNeedsLikeness = 0.5;
const transformSize = 16_384;

/**
 * Measures a stereo stretch. The plain reference lies in the middle, so its fold loses nothing: the drop is the
 * image's own loss, and colour stands against the power of the sides.
 *
 * @param tick is told the share done (0 to 1) between the steps; it may throw to stop
 */
export function measureStereo(
  left: Float32Array,
  right: Float32Array,
  rateHz: number,
  tick: (share: number) => void = () => {},
): MeasuredStereo {
  const meters = meterStereo(left, right, rateHz, (share) => tick(0.45 * share));
  const { loudness, foldLoudness, peaks } = meters;
  const sums = sideSums(left, right);
  const { spectra, alike } = transformStereo(left, right, rateHz, sums, (share) =>
    tick(0.45 + 0.55 * share),
  );
  const folded = foldSpectrum(spectra);
  const sides = sidesSpectrum(spectra);
  const dip = deepestDip(foldColour(folded, sides, spectra.hzPerBin, 6));
  tick(1);
  const loss = Number.isFinite(loudness) ? within(foldLoudness - loudness) : null;
  const drop = loss === null ? null : Math.max(0, -loss);
  return {
    report: {
      rateHz,
      frames: left.length,
      loudnessLufs: finite(loudness),
      truePeakDbtp: finite(peaks.truePeakDbtp()),
      samplePeakDbfs: finite(peaks.samplePeakDbfs()),
      correlation: correlation(sums),
      sideToMidDb: within(sideToMidDb(sums)),
      stillMono: isStillMono(sums),
      likeness: alike,
      fold: {
        lossDb: loss,
        dropLu: drop,
        deepestDipDb: dip?.depthDb ?? null,
        deepestDipHz: dip?.hz ?? null,
        verdict: drop === null ? null : foldVerdict(drop, dip?.depthDb ?? 0),
        bands: foldLossByBand(spectra, rateHz),
      },
      leadMs: alike && Math.abs(alike.value) >= leadNeedsLikeness ? alike.lagMs : null,
      leanDb: finite(leanDb(sums)),
      loudnessRangeLu: meters.rangeLu,
      dynamics: meters.dynamics,
      sideToMidBands: sideToMidBands(spectra),
      bandSides: sidesByBand(spectra, rateHz, left.length),
      low: lowBand(spectra, left.length),
      comb: combInSound(alike, spectra),
      overTime: meters.overTime,
    },
    colour: foldColour(folded, sides, spectra.hzPerBin, 12),
  };
}

/** What needs spectra: one pass over the blocks serves both. */
function transformStereo(
  left: Float32Array,
  right: Float32Array,
  rateHz: number,
  sums: SideSums,
  tick: (share: number) => void,
) {
  const spectra = new StereoSpectraMeter(rateHz, transformSize);
  const alike = new LikenessMeter(rateHz, transformSize);
  visitPairBlocks(
    left,
    right,
    transformSize,
    alike.reach,
    (blocks, n) => {
      if (n > 0) spectra.add(blocks[1], blocks[0]);
      alike.add(blocks);
    },
    tick,
  );
  return { spectra: spectra.spectra(), alike: alike.likeness(sums) };
}

const pieceFrames = 65_536;

/** What can be read in one pass, piece by piece, so that nothing as long as the stretch is made. */
function meterStereo(
  left: Float32Array,
  right: Float32Array,
  rateHz: number,
  tick: (share: number) => void,
) {
  const stereo = new LoudnessMeter(rateHz, 2);
  const folded = new LoudnessMeter(rateHz, 1);
  const peaks = new TruePeakMeter(rateHz, 2);
  const sides = [new DynamicsMeter(rateHz), new DynamicsMeter(rateHz)] as const;
  const fold = new Float32Array(pieceFrames);
  for (let at = 0; at < left.length; at += pieceFrames) {
    const l = left.subarray(at, at + pieceFrames);
    const r = right.subarray(at, at + pieceFrames);
    foldForOne(l, r, fold);
    stereo.process([l, r], l.length);
    folded.process([fold], l.length);
    peaks.process([l, r], l.length);
    sides[0].process(l);
    sides[1].process(r);
    tick(at / left.length);
  }
  const loudness = stereo.integrated();
  const foldLoudness = folded.integrated();
  const windows = (meter: LoudnessMeter, whole: Lufs) => {
    const shortTerm = meter.shortTerm();
    return shortTerm.length > 0 ? shortTerm : [whole];
  };
  return {
    loudness,
    foldLoudness,
    peaks,
    rangeLu: stereo.range(),
    dynamics: { left: sides[0].dynamics(), right: sides[1].dynamics() },
    overTime: lossOverTime(
      windows(stereo, loudness),
      windows(folded, foldLoudness),
      loudness,
      left.length / rateHz,
    ),
  };
}

/** JSON knows no infinity: what is mono or cancelled to the last bit reads ∓120 dB. */
function within(value: number | null): number | null {
  return value === null || Number.isNaN(value) ? null : Math.max(-120, Math.min(120, value));
}

function finite(value: number | null): number | null {
  return value !== null && Number.isFinite(value) ? value : null;
}
