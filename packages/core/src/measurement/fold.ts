import { powerToDb } from '../quantities/units.ts';
import { audibleRangeDb, bandAround, bandSum, thirdOctaveBands, type Band } from './bands.ts';
import { foldSpectrum, sidesSpectrum, type StereoSpectra } from './stereo-spectra.ts';

export interface BandLoss {
  readonly hz: number;
  /** 10·log10((1+ρ)/2): 0 for equal sides, −3.01 for unrelated ones; null where the band holds next to nothing. */
  readonly lossDb: number | null;
}

/** The band that loses most; null where nothing is heard. */
export function worstBand(bands: readonly BandLoss[]): { hz: number; lossDb: number } | null {
  let worst: { hz: number; lossDb: number } | null = null;
  for (const { hz, lossDb } of bands)
    if (lossDb !== null && lossDb < (worst?.lossDb ?? Infinity)) worst = { hz, lossDb };
  return worst;
}

/** What the fold loses, by third octave: ρ = 2·Re⟨LR*⟩ / (⟨|L|²⟩+⟨|R|²⟩). */
export function foldLossByBand(spectra: StereoSpectra, rateHz: number): BandLoss[] {
  const fold = foldSpectrum(spectra);
  const sides = sidesSpectrum(spectra);
  const rows = thirdOctaveBands(rateHz).map((band) => ({
    hz: band.hz,
    fold: bandSum(fold, spectra.hzPerBin, band),
    sides: bandSum(sides, spectra.hzPerBin, band),
  }));
  const strongest = Math.max(...rows.map((row) => row.sides));
  const floor = strongest * 10 ** (-audibleRangeDb / 10);
  return rows.map((row) => ({
    hz: row.hz,
    lossDb:
      row.sides > 0 && row.sides >= floor
        ? Math.max(-60, powerToDb(Math.max(row.fold, 0) / row.sides))
        : null,
  }));
}

export interface ColourPoint {
  readonly hz: number;
  /** Fold against reference, level taken out. */
  readonly db: number;
  /** Within 20 dB of the part's strongest band: these count for the verdict. */
  readonly counts: boolean;
  /** By how much it may be less, for want of time to tell: 0 where that was not looked at. */
  readonly doubtDb: number;
}

/** Bands of 1/`width` octave at steps of 1/12 octave from 40 Hz to 16 kHz, as far as the rate goes. */
export function colourBands(rateHz: number, width: number): Band[] {
  const topHz = Math.min(16_000, rateHz * 0.45);
  const bands: Band[] = [];
  for (let centre = 40; centre <= topHz; centre *= 10 ** (0.3 / 12))
    bands.push(bandAround(centre, width));
  return bands;
}

/** What is left of a fold that cancels altogether is the rounding of the transform. */
const vanished = 1e-12;

/** Common practice: a dip 20 dB under the strongest band of a part is not missed. */
const countedRangeDb = 20;

/** So many standard errors: the deepest of a hundred bands is some 2.5 off by chance. */
const doubted = 2.5;

/**
 * The fold's spectrum against a reference spectrum of the same part, in bands of 1/`width` octave at steps of 1/12
 * octave from 40 Hz to 16 kHz; the common level is taken out.
 * @param errors of each band: the standard error of its ρ (see `BandDoubt`)
 */
export function foldColour(
  fold: Float64Array,
  reference: Float64Array,
  hzPerBin: number,
  width: number,
  errors: readonly number[] | null = null,
): ColourPoint[] {
  const bands = colourBands(2 * hzPerBin * (reference.length - 1), width);
  const rows = bands.map((band, n) => ({
    hz: band.centreHz,
    fold: bandSum(fold, hzPerBin, band),
    reference: bandSum(reference, hzPerBin, band),
    error: errors?.[n] ?? 0,
  }));
  const strongest = Math.max(...rows.map((row) => row.reference));
  const audible = rows.filter(
    (row) => row.reference > 0 && row.reference >= strongest * 10 ** (-audibleRangeDb / 10),
  );
  const total = (pick: (row: (typeof rows)[number]) => number) =>
    audible.reduce((sum, row) => sum + pick(row), 0);
  const level = total((row) => row.fold) / total((row) => row.reference);
  if (!(level > vanished)) return [];
  return audible.map((row) => ({
    hz: row.hz,
    db: Math.max(-60, powerToDb(Math.max(row.fold, 0) / row.reference / level)),
    counts: row.reference >= strongest * 10 ** (-countedRangeDb / 10),
    // The share that a band keeps is (1 + ρ)/2: so much higher it may be.
    doubtDb: powerToDb(1 + (doubted * row.error) / 2 / Math.max(1e-3, row.fold / row.reference)),
  }));
}

export interface Dip {
  /** How far down, at or above 0. */
  readonly depthDb: number;
  readonly hz: number;
  /** By how much it may be less, for want of time to tell. */
  readonly doubtDb: number;
}

/** The deepest dip that counts, of a colour in sixth octaves; null for silence. */
export function deepestDip(colour: readonly ColourPoint[]): Dip | null {
  return lowest(colour, ({ db }) => db);
}

/** The dip of which most is sure. */
export function surestDip(colour: readonly ColourPoint[]): Dip | null {
  return lowest(colour, ({ db, doubtDb }) => db + doubtDb);
}

function lowest(
  colour: readonly ColourPoint[],
  depthOf: (point: ColourPoint) => number,
): Dip | null {
  let found: ColourPoint | null = null;
  for (const point of colour)
    if (point.counts && (!found || depthOf(point) < depthOf(found))) found = point;
  return (
    found && { depthDb: Math.max(0, -found.db), hz: Math.round(found.hz), doubtDb: found.doubtDb }
  );
}

export type Verdict = 'holds' | 'watch' | 'breaks';

/** Up to here a fold holds: common practice, first values. */
export const holds = { dropLu: 3.5, dipDb: 3, momentLu: 10 } as const;
const watched = { dropLu: 6, dipDb: 6, momentLu: 15 } as const;

/**
 * Common practice, first values: holds up to a drop of 3.5 LU and a dip of 3 dB, watch up to 6 and 6.
 * An ordinary double-tracked pair (3 LU, no dip of note) holds. A stretch that cancels counts, too, also where it falls under the
 * gate of the loudness: 3 s may lose 10 LU, and 15; a held note of two performances, which beats slowly, loses 9.
 * @param dropLu as far as it is sure
 * @param dipDb as far as it is sure
 * @param worstLossLu of the 3 s that lose most, at or below 0
 */
export function foldVerdict(dropLu: number, dipDb: number, worstLossLu = 0): Verdict {
  if (dropLu <= holds.dropLu && dipDb <= holds.dipDb && worstLossLu >= -holds.momentLu)
    return 'holds';
  return dropLu <= watched.dropLu && dipDb <= watched.dipDb && worstLossLu >= -watched.momentLu
    ? 'watch'
    : 'breaks';
}
