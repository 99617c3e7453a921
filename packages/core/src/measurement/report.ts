import {
  lowBand,
  sidesByBand,
  sideToMidBands,
  type BandSides,
  type LowBand,
  type SideToMidBands,
} from './across-bands.ts';
import type { Band } from './bands.ts';
import { combInSound, type CombInSound } from './comb-in-sound.ts';
import { dropOuts, type DropOut } from './drop-outs.ts';
import { DynamicsMeter, levelRatio, type Dynamics } from './dynamics.ts';
import { findHum, type Hum } from './hum.ts';
import { gainToDb, powerToDb, type Lufs } from '../quantities/units.ts';
import { FoldLoudnessMeter, type Loudness } from './loudness.ts';
import { lossOverTime, type LossOverTime } from './over-time.ts';
import { TruePeakMeter } from './true-peak.ts';
import { BandDoubt } from './band-doubt.ts';
import {
  colourBands,
  deepestDip,
  foldColour,
  foldLossByBand,
  foldVerdict,
  surestDip,
  type BandLoss,
  type ColourPoint,
  type Verdict,
} from './fold.ts';
import { visitPairBlocks } from '../signal/pair-blocks.ts';
import { inPieces, openRoom, transforms } from '../signal/transforms.ts';
import { LikenessMeter, type Likeness } from './likeness.ts';
import { riseLag } from './rises.ts';
import { sidesInTime, type SidesInTime } from './sides-in-time.ts';
import { correlation, isStillMono, leanDb, sideToMidDb } from './sides.ts';
import { foldSpectrum, sidesSpectrum } from './stereo-spectra.ts';
import {
  lowEnd,
  lowSpectra,
  lowWindowsTopHz,
  StereoSpectraMeter,
  transformSizeFor,
  withLowEnd,
} from './spectra.ts';

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
  readonly likeness: Likeness | null;
  /** Of the third octaves that are heard, the share that is as alike at the lag of the likeness as copies are: 1 for a copy. */
  readonly bandsAlike: number;
  readonly fold: {
    readonly lossDb: number | null;
    readonly dropLu: number | null;
    readonly deepestDipDb: number | null;
    readonly deepestDipHz: number | null;
    /** By how much the deepest dip may be less, for want of time to tell. */
    readonly dipDoubtDb: number;
    /** Of the dip of which most is sure, as far as it is: what the verdict goes by. */
    readonly sureDipDb: number;
    /** By how much the drop may be less. */
    readonly dropDoubtLu: number;
    readonly verdict: Verdict | null;
    readonly bands: readonly BandLoss[];
  };
  /** Above 0: L speaks first; null where no lead is sure. */
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
  /** A constant part of each side, in dB of full scale; null where it is none to speak of. All other figures are without it. */
  readonly dcDb: { readonly left: number | null; readonly right: number | null };
  readonly hum: Hum | null;
  readonly dropOuts: readonly DropOut[];
  /** By how many dB the right side's level moves where the left one's moves by one (see `levelRatio`). */
  readonly levelRatio: number;
}

export interface MeasuredStereo {
  readonly report: StereoReport;
  /** The fold against the sides' power in twelfth octaves, for drawing. */
  readonly colour: readonly ColourPoint[];
}

/**
 * Measures a stereo stretch. The plain reference lies in the middle, so its fold loses nothing: the drop is the
 * image's own loss, and colour stands against the power of the sides.
 *
 * @param tick is told the share done (0 to 1) between the steps; it may throw to stop
 */
export function measureStereo(
  leftAsItIs: Float32Array,
  rightAsItIs: Float32Array,
  rateHz: number,
  tick: (share: number) => void = () => {},
): MeasuredStereo {
  const dc = [leftAsItIs, rightAsItIs].map(meanOf);
  const left = withoutDc(leftAsItIs, dc[0]);
  const right = rightAsItIs === leftAsItIs ? left : withoutDc(rightAsItIs, dc[1]);
  const meters = meterStereo([left, right], [leftAsItIs, rightAsItIs], rateHz, (share) =>
    tick(0.45 * share),
  );
  const { loudness, foldLoudness, peaks } = meters;
  const inTime = sidesInTime(left, right, rateHz);
  const { sums } = inTime;
  const { spectra, alike, errors, wholeError, hum } = transformStereo(
    left,
    right,
    rateHz,
    inTime,
    (share) => tick(0.45 + 0.55 * share),
  );
  const folded = foldSpectrum(spectra);
  const sides = sidesSpectrum(spectra);
  const colour = foldColour(folded, sides, spectra.hzPerBin, 6, errors);
  const dip = deepestDip(colour);
  const sure = surestDip(colour);
  const sureDipDb = sure ? Math.max(0, sure.depthDb - sure.doubtDb) : 0;
  tick(1);
  const loss = Number.isFinite(loudness) ? within(foldLoudness - loudness) : null;
  const drop = loss === null ? null : Math.max(0, -loss);
  const dropDoubtLu = powerToDb(1 + wholeError / Math.max(0.01, 10 ** ((loss ?? 0) / 10)));
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
      likeness: alike?.likeness ?? null,
      bandsAlike: alike?.bandsAlike ?? 0,
      fold: {
        lossDb: loss,
        dropLu: drop,
        deepestDipDb: dip?.depthDb ?? null,
        deepestDipHz: dip?.hz ?? null,
        dipDoubtDb: dip?.doubtDb ?? 0,
        sureDipDb,
        dropDoubtLu,
        verdict:
          drop === null
            ? null
            : foldVerdict(
                Math.max(0, drop - dropDoubtLu),
                sureDipDb,
                meters.overTime.worst?.lossLu,
              ),
        bands: foldLossByBand(spectra, rateHz),
      },
      leadMs: alike?.leadMs ?? null,
      leanDb: finite(leanDb(sums)),
      loudnessRangeLu: meters.rangeLu,
      dynamics: meters.dynamics,
      sideToMidBands: sideToMidBands(spectra),
      bandSides: sidesByBand(spectra, rateHz, left.length),
      low: lowBand(spectra, left.length),
      comb: combInSound(alike?.likeness ?? null, spectra),
      overTime: meters.overTime,
      dcDb: { left: dcOf(dc[0]), right: dcOf(dc[1]) },
      hum,
      dropOuts: meters.dropOuts,
      levelRatio: meters.levelRatio,
    },
    colour: foldColour(folded, sides, spectra.hzPerBin, 12),
  };
}

/** One side is the other at another time: its comb stands still. */
const copiedLikeness = 0.9;

/** A mean this small is rounding. */
const leastDc = 1e-4;

const stretchFrames = 8192;
const piece = openRoom(stretchFrames / 2);

function meanOf(samples: Float32Array): number {
  let sum = 0;
  inPieces([piece], [samples], () => {
    sum += transforms.sumOf(piece.at, stretchFrames);
  });
  const mean = samples.length > 0 ? sum / samples.length : 0;
  return Math.abs(mean) < leastDc ? 0 : mean;
}

function withoutDc(samples: Float32Array, mean: number): Float32Array {
  if (mean === 0) return samples;
  const moved = new Float32Array(samples.length);
  inPieces([piece], [samples], (count, from) => {
    transforms.lessen(mean, piece.at, stretchFrames);
    moved.set(piece.singles.subarray(0, count), from);
  });
  return moved;
}

function dcOf(mean: number): number | null {
  return mean === 0 ? null : gainToDb(Math.abs(mean));
}

/** What needs spectra: one pass over the blocks serves all of it, and one over the low end. */
function transformStereo(
  left: Float32Array,
  right: Float32Array,
  rateHz: number,
  inTime: SidesInTime,
  tick: (share: number) => void,
) {
  const size = transformSizeFor(rateHz);
  const coarse = new StereoSpectraMeter(rateHz, size);
  const alike = new LikenessMeter(rateHz, size);
  try {
    const bands = colourBands(rateHz, 6);
    const whole = { hz: 0, centreHz: 0, lowHz: 0, highHz: rateHz / 2 };
    const doubt = new BandDoubt([...bands, whole], rateHz / size, size / 2 + 1);
    visitPairBlocks(
      left,
      right,
      size,
      alike.kept,
      (blocks, n) => {
        doubt.add(coarse.add(blocks[1], blocks[0]));
        alike.add(blocks, n);
      },
      (share) => tick(0.9 * share),
    );
    let lowDoubt: BandDoubt | null = null;
    const lows = lowEnd(left, right, rateHz, () => tick(0.92));
    tick(0.94);
    const low = lowSpectra(lows, (window) => {
      lowDoubt ??= new BandDoubt(bands, window.hzPerBin, window.power.length);
      lowDoubt.add(window);
      tick(0.96);
    });
    const spectra = withLowEnd(coarse.spectra(), low);
    const sides = alike.alike(inTime.sums, spectra, riseLag(inTime));
    const copied =
      sides !== null && Math.abs(sides.likeness.value) >= copiedLikeness && sides.bandsAlike >= 0.5;
    // A moment or two tell nothing of how moments differ: a band has no more of them than its width times its time.
    const least = ({ lowHz, highHz }: Band) =>
      copied ? 0 : 1 / Math.sqrt(2 * Math.max(1, ((highHz - lowHz) * left.length) / rateHz));
    const errors = doubt.errors();
    const lowErrors = (lowDoubt as BandDoubt | null)?.errors() ?? [];
    return {
      spectra,
      alike: sides,
      errors: bands.map((band, n) =>
        Math.max(least(band), band.centreHz < lowWindowsTopHz ? (lowErrors[n] ?? 0) : errors[n]),
      ),
      wholeError: errors[bands.length],
      hum: findHum(lows.left, lows.right, lows.rateHz, () => tick(0.98)),
    };
  } finally {
    coarse.close();
    alike.close();
  }
}

/** What is read in one pass is read in pieces of so much, so that it can be stopped soon. */
export const pieceFrames = 65_536;

/**
 * What can be read in one pass, piece by piece, so that nothing as long as the stretch is made.
 * @param asTheyAre both sides with what is constant in them: it counts for peaks
 */
function meterStereo(
  [left, right]: readonly Float32Array[],
  asTheyAre: readonly Float32Array[],
  rateHz: number,
  tick: (share: number) => void,
) {
  const meter = new FoldLoudnessMeter(rateHz);
  const peaks = new TruePeakMeter(rateHz, 2);
  const sides = [new DynamicsMeter(rateHz), new DynamicsMeter(rateHz)] as const;
  for (let at = 0; at < left.length; at += pieceFrames) {
    const l = left.subarray(at, at + pieceFrames);
    const r = right.subarray(at, at + pieceFrames);
    meter.process(l, r);
    peaks.process(
      asTheyAre.map((side) => side.subarray(at, at + pieceFrames)),
      l.length,
    );
    sides[0].process(l);
    sides[1].process(r);
    tick(at / left.length);
  }
  const loudness = meter.sides.integrated();
  const foldLoudness = meter.fold.integrated();
  const windows = (of: Loudness, whole: Lufs) => {
    const shortTerm = of.shortTerm();
    return shortTerm.length > 0 ? shortTerm : [whole];
  };
  return {
    loudness,
    foldLoudness,
    peaks,
    rangeLu: meter.sides.range(),
    dynamics: { left: sides[0].dynamics(), right: sides[1].dynamics() },
    dropOuts: dropOuts(sides[0].swings, sides[1].swings),
    levelRatio: levelRatio(sides[0].powers, sides[1].powers),
    overTime: lossOverTime(
      windows(meter.sides, loudness),
      windows(meter.fold, foldLoudness),
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
