import { bandSum, thirdOctaveBands } from '../measurement/bands.ts';
import { LoudnessMeter } from '../measurement/loudness.ts';
import { stereoSpectra } from '../measurement/spectra.ts';

const { log10, max } = Math;

/** What a take sounds like, to be laid over another's. */
export interface Portrait {
  /** Integrated loudness; null where it is silent. */
  readonly lufs: number | null;
  /** Level of each third octave from 25 Hz on, in dBFS (a full-scale sine has −3.0); null where nothing is. */
  readonly bandsDb: readonly (number | null)[];
  /** Loudest momentary loudness of each stretch of `everyS`; null where it is silent. */
  readonly loudness: readonly (number | null)[];
  readonly everyS: number;
}

/** Momentary loudness is told ten times a second; so many of them are one point. */
const stepsAPoint = 4;
const silentLufs = -70;
const silentDb = -120;

/** @param samples mono, as they are heard; at least one */
export function portraitOf(samples: Float32Array, rateHz: number): Portrait {
  const { left, hzPerBin } = stereoSpectra(samples, samples, rateHz);
  let square = 0;
  for (const value of samples) square += value * value;
  const power = left.reduce((sum, bin) => sum + bin, 0);
  const scale = power > 0 ? square / max(1, samples.length) / power : 0;
  const bandsDb = thirdOctaveBands(rateHz).map((band) => {
    const db = 10 * log10(max(1e-30, scale * bandSum(left, hzPerBin, band)));
    return db < silentDb ? null : db;
  });
  const meter = new LoudnessMeter(rateHz, 1);
  meter.process([samples], samples.length);
  const moments = meter.momentary();
  const loudness: (number | null)[] = [];
  for (let n = 0; n < moments.length; n += stepsAPoint) {
    const loudest = max(...moments.slice(n, n + stepsAPoint));
    loudness.push(loudest < silentLufs ? null : loudest);
  }
  const lufs = meter.integrated();
  return { lufs: Number.isFinite(lufs) ? lufs : null, bandsDb, loudness, everyS: stepsAPoint / 10 };
}

/** For which share of the time in which it sounds a take is louder than a threshold, 0 to 1. */
export function shareOver({ loudness }: Portrait, thresholdDb: number): number {
  const sounding = loudness.filter((value) => value !== null);
  return sounding.filter((value) => value > thresholdDb).length / max(1, sounding.length);
}
