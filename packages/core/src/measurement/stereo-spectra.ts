/** Long-term power spectra of both sides and how they hang together; bins 0 to half the rate. */
export interface StereoSpectra {
  readonly hzPerBin: number;
  readonly left: Float64Array;
  readonly right: Float64Array;
  /** Re⟨L·R*⟩ */
  readonly cross: Float64Array;
}

/** Power spectrum of (L+R)/2. */
export function foldSpectrum(spectra: StereoSpectra): Float64Array {
  return spectra.left.map((left, bin) => (left + spectra.right[bin] + 2 * spectra.cross[bin]) / 4);
}

/** (|L|²+|R|²)/2: what the fold would be if both sides were one. */
export function sidesSpectrum(spectra: StereoSpectra): Float64Array {
  return spectra.left.map((left, bin) => (left + spectra.right[bin]) / 2);
}
