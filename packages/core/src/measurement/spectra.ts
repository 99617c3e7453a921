import { visitPairBlocks, type PairBlock } from '../signal/pair-blocks.ts';

/** Long-term power spectra of both sides and how they hang together; bins 0 to size/2. */
export interface StereoSpectra {
  readonly hzPerBin: number;
  readonly left: Float64Array;
  readonly right: Float64Array;
  /** Re⟨L·R*⟩ */
  readonly cross: Float64Array;
}

/**
 * Averages Hann-windowed spectra with half overlap over a whole recording (Welch 1967). Each window is made of two blocks: their
 * spectra added up, the later one's turned by half a transform, are those of a rectangular window, and that of a Hann
 * window is half of a bin less a quarter of both its neighbours (Harris 1978).
 */
export class StereoSpectraMeter {
  readonly #spectra: StereoSpectra;

  /** @param size of the transform, a power of two; 16384 resolves the comb of a pure delay to 0.1 dB */
  constructor(rateHz: number, size: number) {
    const bins = size / 2 + 1;
    this.#spectra = {
      hzPerBin: rateHz / size,
      left: new Float64Array(bins),
      right: new Float64Array(bins),
      cross: new Float64Array(bins),
    };
  }

  /** The window that ends with a block and begins with the one before. */
  add(before: PairBlock, block: PairBlock): void {
    const { left, right, cross } = this.#spectra;
    const { first: a, second: b } = before;
    const { first: c, second: d } = block;
    const last = left.length - 1;
    // The bin before the first one mirrors the second, the one after the last the last but one.
    let lr0 = a[2] - c[2];
    let li0 = -(a[3] - c[3]);
    let rr0 = b[2] - d[2];
    let ri0 = -(b[3] - d[3]);
    let lr1 = a[0] + c[0];
    let li1 = a[1] + c[1];
    let rr1 = b[0] + d[0];
    let ri1 = b[1] + d[1];
    for (let bin = 0; bin <= last; bin++) {
      const sign = bin % 2 === 0 ? -1 : 1;
      const next = bin < last ? 2 * bin + 2 : 2 * last - 2;
      const up = bin < last ? 1 : -1;
      const lr2 = a[next] + sign * c[next];
      const li2 = up * (a[next + 1] + sign * c[next + 1]);
      const rr2 = b[next] + sign * d[next];
      const ri2 = up * (b[next + 1] + sign * d[next + 1]);
      const lr = lr1 / 2 - (lr0 + lr2) / 4;
      const li = li1 / 2 - (li0 + li2) / 4;
      const rr = rr1 / 2 - (rr0 + rr2) / 4;
      const ri = ri1 / 2 - (ri0 + ri2) / 4;
      left[bin] += lr * lr + li * li;
      right[bin] += rr * rr + ri * ri;
      cross[bin] += lr * rr + li * ri;
      lr0 = lr1;
      li0 = li1;
      rr0 = rr1;
      ri0 = ri1;
      lr1 = lr2;
      li1 = li2;
      rr1 = rr2;
      ri1 = ri2;
    }
  }

  spectra(): StereoSpectra {
    return this.#spectra;
  }
}

/** The spectra of whole sides alone. */
export function stereoSpectra(
  left: Float32Array,
  right: Float32Array,
  rateHz: number,
  size: number,
  tick: (share: number) => void = () => {},
): StereoSpectra {
  const meter = new StereoSpectraMeter(rateHz, size);
  visitPairBlocks(
    left,
    right,
    size,
    1,
    ([block, before], n) => {
      if (n > 0) meter.add(before, block);
    },
    tick,
  );
  return meter.spectra();
}

/** Power spectrum of (L+R)/2. */
export function foldSpectrum(spectra: StereoSpectra): Float64Array {
  return spectra.left.map((left, bin) => (left + spectra.right[bin] + 2 * spectra.cross[bin]) / 4);
}

/** (|L|²+|R|²)/2: what the fold would be if both sides were one. */
export function sidesSpectrum(spectra: StereoSpectra): Float64Array {
  return spectra.left.map((left, bin) => (left + spectra.right[bin]) / 2);
}
