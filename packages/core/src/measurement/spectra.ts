import { hannWindow, PairFft } from '../signal/spectrum.ts';

/** Long-term power spectra of both sides and how they hang together; bins 0 to size/2. */
export interface StereoSpectra {
  readonly hzPerBin: number;
  readonly left: Float64Array;
  readonly right: Float64Array;
  /** Re⟨L·R*⟩ */
  readonly cross: Float64Array;
}

/**
 * Averages Hann-windowed spectra with half overlap over a whole recording (Welch 1967).
 * @param size of the transform, a power of two; 16384 resolves the comb of a pure delay to 0.1 dB
 */
export function stereoSpectra(
  left: Float32Array,
  right: Float32Array,
  rateHz: number,
  size: number,
  tick: (share: number) => void = () => {},
): StereoSpectra {
  const fft = new PairFft(size);
  const window = hannWindow(size);
  const bins = size / 2 + 1;
  const result = {
    hzPerBin: rateHz / size,
    left: new Float64Array(bins),
    right: new Float64Array(bins),
    cross: new Float64Array(bins),
  };
  const { z } = fft;
  const hop = size / 2;
  for (let from = 0; from === 0 || from + hop < left.length; from += hop) {
    fft.forward(left, from, right, from, window);
    for (let bin = 0; bin < bins; bin++) {
      const zr = z[2 * bin];
      const zi = z[2 * bin + 1];
      const mirror = bin === 0 ? 0 : 2 * (size - bin);
      const wr = z[mirror];
      const wi = z[mirror + 1];
      // See `PairFft`.
      const both = (zr * zr + zi * zi + wr * wr + wi * wi) / 4;
      const apart = (zr * wr - zi * wi) / 2;
      result.left[bin] += both + apart;
      result.right[bin] += both - apart;
      result.cross[bin] += (zr * wi + zi * wr) / 2;
    }
    tick(from / left.length);
  }
  return result;
}

/** Power spectrum of (L+R)/2. */
export function foldSpectrum(spectra: StereoSpectra): Float64Array {
  return spectra.left.map((left, bin) => (left + spectra.right[bin] + 2 * spectra.cross[bin]) / 4);
}

/** (|L|²+|R|²)/2: what the fold would be if both sides were one. */
export function sidesSpectrum(spectra: StereoSpectra): Float64Array {
  return spectra.left.map((left, bin) => (left + spectra.right[bin]) / 2);
}
