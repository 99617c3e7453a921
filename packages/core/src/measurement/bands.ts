/**
 * Octave-fraction bands, base ten.
 * Source: IEC 61260-1:2014, 5.2–5.5: G = 10^(3/10), mid-bands 1000·G^(x/b), edges at G^(±1/2b).
 */
const octaveRatio = 10 ** 0.3;

export interface Band {
  /** The nominal name where the standard has one (31.5), else the exact mid-band frequency, rounded. */
  readonly hz: number;
  readonly centreHz: number;
  readonly lowHz: number;
  readonly highHz: number;
}

const nominal = [
  25, 31.5, 40, 50, 63, 80, 100, 125, 160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250, 1600,
  2000, 2500, 3150, 4000, 5000, 6300, 8000, 10_000, 12_500, 16_000, 20_000,
];

/** A band this far under the strongest one says nothing about the part: common practice. */
export const audibleRangeDb = 60;

/** The thirty third-octave bands from 25 Hz to 20 kHz whose upper edge lies under half the rate. */
export function thirdOctaveBands(rateHz: number): Band[] {
  return nominal
    .map((hz, n) => bandAround(1000 * octaveRatio ** ((n - 16) / 3), 3, hz))
    .filter((band) => band.highHz <= rateHz / 2);
}

/** A band of 1/`fraction` octave round any frequency. */
export function bandAround(centreHz: number, fraction: number, name = Math.round(centreHz)): Band {
  const edge = octaveRatio ** (1 / (2 * fraction));
  return { hz: name, centreHz, lowHz: centreHz / edge, highHz: centreHz * edge };
}

/** Sum of a power spectrum over a band; bins at the edges count by the share that lies inside. */
export function bandSum(spectrum: Float64Array, hzPerBin: number, band: Band): number {
  const low = band.lowHz / hzPerBin + 0.5;
  const high = band.highHz / hzPerBin + 0.5;
  const first = Math.floor(low);
  const last = Math.min(spectrum.length - 1, Math.floor(high));
  if (first > last) return 0;
  if (first === last) return spectrum[first] * (high - low);
  let sum = spectrum[first] * (first + 1 - low) + spectrum[last] * (high - last);
  for (let bin = first + 1; bin < last; bin++) sum += spectrum[bin];
  return sum;
}
