import { powerToDb } from '../quantities/units.ts';
import { bandAround, bandSum } from './bands.ts';
import { notchFrequencies } from './comb.ts';
import type { Likeness } from './likeness.ts';
import { foldSpectrum, sidesSpectrum, type StereoSpectra } from './stereo-spectra.ts';

const { abs, min, max } = Math;

/** A comb that is really in the fold: one side is a late copy of the other. */
export interface CombInSound {
  /** By how much the copy is late, whichever side it is. */
  readonly delayMs: number;
  readonly polarity: 'equal' | 'opposite';
  /** The first notches, at most six. */
  readonly notchesHz: readonly number[];
  /** Valleys against peaks, mean over the notches that could be looked at; above 0. */
  readonly depthDb: number;
}

/** Sides less alike than this are no copies. */
const copyLikeness = 0.35;
/** Shallower than this it is not heard as a comb. */
const leastDepthDb = 1;
/** Notches are looked at up to here; further up they lie closer than the ear parts them. */
const lookedAt = 6;
const audibleRangeDb = 50;

/** Looks for the valleys of the comb that the likeness of the sides foretells; null where there is none. */
export function combInSound(likeness: Likeness | null, spectra: StereoSpectra): CombInSound | null {
  if (!likeness || abs(likeness.value) < copyLikeness || abs(likeness.lagMs) < 0.05) return null;
  const delaySeconds = abs(likeness.lagMs) / 1000;
  const polarity = likeness.value > 0 ? 'equal' : 'opposite';
  const spacing = 1 / delaySeconds;
  const top = min(16_000, spectra.hzPerBin * (spectra.left.length - 1) * 0.9);
  const notchesHz = notchFrequencies(delaySeconds, polarity, lookedAt).filter((hz) => hz < top);
  const fold = foldSpectrum(spectra);
  const sides = sidesSpectrum(spectra);
  const lossIn = (centreHz: number) => {
    // A quarter of the way to the next peak on either side.
    const half = max(spectra.hzPerBin, spacing / 8);
    const band = { ...bandAround(centreHz, 1), lowHz: centreHz - half, highHz: centreHz + half };
    const power = bandSum(sides, spectra.hzPerBin, band);
    return { power, lossDb: powerToDb(max(1e-6, bandSum(fold, spectra.hzPerBin, band) / power)) };
  };
  const rows = notchesHz.map((hz) => {
    const valley = lossIn(hz);
    const peaks = [hz - spacing / 2, hz + spacing / 2].filter((f) => f > 30 && f < top).map(lossIn);
    return { valley, peaks };
  });
  const strongest = max(
    0,
    ...rows.flatMap(({ valley, peaks }) => [valley, ...peaks].map((r) => r.power)),
  );
  const floor = strongest * 10 ** (-audibleRangeDb / 10);
  const depths = rows.flatMap(({ valley, peaks }) => {
    const heard = peaks.filter(({ power }) => power > floor);
    if (!(valley.power > floor) || heard.length === 0) return [];
    return [heard.reduce((sum, { lossDb }) => sum + lossDb, 0) / heard.length - valley.lossDb];
  });
  if (depths.length === 0) return null;
  const depthDb = depths.reduce((sum, depth) => sum + depth, 0) / depths.length;
  if (depthDb < leastDepthDb) return null;
  return { delayMs: delaySeconds * 1000, polarity, notchesHz, depthDb };
}
