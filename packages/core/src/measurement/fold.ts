import { powerToDb } from '../quantities/units.ts';
import { audibleRangeDb, bandAround, bandSum, thirdOctaveBands, type Band } from './bands.ts';
import { foldSpectrum, sidesSpectrum, type StereoSpectra } from './spectra.ts';

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
}

/** What is left of a fold that cancels altogether is the rounding of the transform. */
const vanished = 1e-12;

/** Common practice: a dip 20 dB under the strongest band of a part is not missed. */
const countedRangeDb = 20;

/**
 * The fold's spectrum against a reference spectrum of the same part, in bands of 1/`width` octave at steps of 1/12
 * octave from 40 Hz to 16 kHz; the common level is taken out.
 */
export function foldColour(
  fold: Float64Array,
  reference: Float64Array,
  hzPerBin: number,
  width: number,
): ColourPoint[] {
  const topHz = Math.min(16_000, hzPerBin * (reference.length - 1) * 0.9);
  const bands: Band[] = [];
  for (let centre = 40; centre <= topHz; centre *= 10 ** (0.3 / 12))
    bands.push(bandAround(centre, width));
  const rows = bands.map((band) => ({
    hz: band.centreHz,
    fold: bandSum(fold, hzPerBin, band),
    reference: bandSum(reference, hzPerBin, band),
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
  }));
}

export interface Dip {
  /** How far down, at or above 0. */
  readonly depthDb: number;
  readonly hz: number;
}

/** The deepest dip that counts, of a colour in sixth octaves; null for silence. */
export function deepestDip(colour: readonly ColourPoint[]): Dip | null {
  let deepest: ColourPoint | null = null;
  for (const point of colour)
    if (point.counts && (!deepest || point.db < deepest.db)) deepest = point;
  return deepest && { depthDb: Math.max(0, -deepest.db), hz: Math.round(deepest.hz) };
}

export type Verdict = 'holds' | 'watch' | 'breaks';

/** Up to here a fold holds: common practice, first values. */
export const holds = { dropLu: 3.5, dipDb: 3 } as const;
const watched = { dropLu: 6, dipDb: 6 } as const;

/**
 * Common practice, first values: holds up to a drop of 3.5 LU and a dip of 3 dB, watch up to 6 and 6.
 * An ordinary double-tracked pair (3 LU, no dip of note) holds.
 */
export function foldVerdict(dropLu: number, dipDb: number): Verdict {
  if (dropLu <= holds.dropLu && dipDb <= holds.dipDb) return 'holds';
  return dropLu <= watched.dropLu && dipDb <= watched.dipDb ? 'watch' : 'breaks';
}
