import { powerToDb } from '../quantities/units.ts';
import { audibleRangeDb, bandSum, thirdOctaveBands, type Band } from './bands.ts';
import { correlation, sideToMidDb, type SideSums } from './sides.ts';
import type { StereoSpectra } from './stereo-spectra.ts';

const { max, min } = Math;

function sumsIn(spectra: StereoSpectra, band: Band): SideSums {
  const of = (spectrum: Float64Array) => bandSum(spectrum, spectra.hzPerBin, band);
  return { left: of(spectra.left), right: of(spectra.right), cross: of(spectra.cross) };
}

/** How the sides stand to each other in one third octave. */
export interface BandSides {
  readonly hz: number;
  /** Re⟨LR*⟩/√(⟨|L|²⟩⟨|R|²⟩), −1 to 1; null where a side or the band holds next to nothing. */
  readonly correlation: number | null;
  /** Where its energy lies: −1 all left, 1 all right; null as above. */
  readonly place: number | null;
  /** S over M in dB, held to ±60; null as above. */
  readonly sideToMidDb: number | null;
  /** Mean power of both sides in dB, of a scale that all bands of all parts share. */
  readonly levelDb: number;
}

/** @param frames how long the stretch was that the spectra were summed over */
export function sidesByBand(spectra: StereoSpectra, rateHz: number, frames: number): BandSides[] {
  const rows = thirdOctaveBands(rateHz).map((band) => ({
    hz: band.hz,
    sums: sumsIn(spectra, band),
  }));
  const strongest = max(...rows.map(({ sums }) => sums.left + sums.right));
  const floor = strongest * 10 ** (-audibleRangeDb / 10);
  return rows.map(({ hz, sums }) => {
    const { left, right } = sums;
    const both = left + right;
    const heard = both > 0 && both >= floor;
    const likeness = correlation(sums);
    return {
      hz,
      correlation:
        heard && likeness !== null && min(left, right) > both * 1e-6
          ? max(-1, min(1, likeness))
          : null,
      place: heard ? (right - left) / both : null,
      sideToMidDb: heard ? heldSideToMid(sums) : null,
      levelDb: max(-200, powerToDb(both / 2 / max(1, frames))),
    };
  });
}

/** S/M of a stretch of the spectrum, held to ±60: further off a transform only rounds. */
function heldSideToMid(sums: SideSums): number | null {
  const ratio = sideToMidDb(sums);
  return ratio === null ? null : max(-60, min(60, ratio));
}

/** Common practice: where the low end stops, and where the top begins. */
export const lowBandTopHz = 200;
const highBandFootHz = 2500;

export interface SideToMidBands {
  /** Up to 200 Hz, to 2.5 kHz, above; dB; null where there is nothing. */
  readonly lowDb: number | null;
  readonly midDb: number | null;
  readonly highDb: number | null;
}

export function sideToMidBands(spectra: StereoSpectra): SideToMidBands {
  const top = spectra.hzPerBin * (spectra.left.length - 1);
  const whole = sumsIn(spectra, between(0, top));
  const floor = (whole.left + whole.right) * 10 ** (-audibleRangeDb / 10);
  const of = (lowHz: number, highHz: number) => {
    const powers = sumsIn(spectra, between(lowHz, highHz));
    return powers.left + powers.right > floor ? heldSideToMid(powers) : null;
  };
  return {
    lowDb: of(0, lowBandTopHz),
    midDb: of(lowBandTopHz, highBandFootHz),
    highDb: of(highBandFootHz, top),
  };
}

function between(lowHz: number, highHz: number): Band {
  return { hz: lowHz, centreHz: lowHz, lowHz, highHz };
}

/** Level of the low end (to 200 Hz), power of both sides and of the fold on both speakers; dB, −200 for nothing. */
export interface LowBand {
  readonly stereoDb: number;
  readonly foldDb: number;
  /** What of the whole power of the sides lies there, 0 to 1. */
  readonly share: number;
}

export function lowBand(spectra: StereoSpectra, frames: number): LowBand {
  const powers = sumsIn(spectra, between(0, lowBandTopHz));
  const top = spectra.hzPerBin * (spectra.left.length - 1);
  const whole = sumsIn(spectra, between(0, top));
  const both = powers.left + powers.right;
  const db = (power: number) => max(-200, powerToDb(max(0, power) / max(1, frames)));
  return {
    stereoDb: db(both),
    foldDb: db((both + 2 * powers.cross) / 2),
    share: whole.left + whole.right > 0 ? both / (whole.left + whole.right) : 0,
  };
}
