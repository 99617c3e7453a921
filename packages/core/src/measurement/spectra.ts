import { visitPairBlocks, type PairBlock } from '../signal/pair-blocks.ts';
import { nextPowerOfTwo } from '../signal/spectrum.ts';
import { lowered } from './low-pass.ts';

const { cos, PI } = Math;

/** Long-term power spectra of both sides and how they hang together; bins 0 to half the rate. */
export interface StereoSpectra {
  readonly hzPerBin: number;
  readonly left: Float64Array;
  readonly right: Float64Array;
  /** Re⟨L·R*⟩ */
  readonly cross: Float64Array;
}

/** What one window adds to the spectra; the arrays are used again. */
export interface WindowSpectra {
  readonly hzPerBin: number;
  /** |L|² + |R|² of each bin. */
  readonly power: Float64Array;
  /** Re L·R* of each bin. */
  readonly cross: Float64Array;
}

/** Of the windows at every rate: a power of two, a third of a second at 44.1 and 48 kHz and their multiples. */
export function transformSizeFor(rateHz: number): number {
  return nextPowerOfTwo(0.75 * 0.34 * rateHz);
}

/** Windows for the low end are so much longer; above this frequency they say nothing that the short ones do not. */
const longer = 4;
const lowTopHz = 300;
const lowSize = 2048;

/**
 * Averages Hann-windowed spectra with half overlap over a whole recording (Welch 1967). Each window is made of two blocks: their
 * spectra added up, the later one's turned by half a transform, are those of a rectangular window, and that of a Hann
 * window is half of a bin less a quarter of both its neighbours (Harris 1978).
 */
export class StereoSpectraMeter {
  readonly #spectra: StereoSpectra;
  readonly #window: WindowSpectra;

  /** @param size of the transform, a power of two; a third of a second resolves the comb of a pure delay to 0.1 dB */
  constructor(rateHz: number, size: number) {
    const bins = size / 2 + 1;
    this.#window = {
      hzPerBin: rateHz / size,
      power: new Float64Array(bins),
      cross: new Float64Array(bins),
    };
    this.#spectra = {
      hzPerBin: rateHz / size,
      left: new Float64Array(bins),
      right: new Float64Array(bins),
      cross: new Float64Array(bins),
    };
  }

  /** The window that ends with a block and begins with the one before: what it adds. */
  add(before: PairBlock, block: PairBlock): WindowSpectra {
    const { left, right, cross } = this.#spectra;
    const own = this.#window;
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
      const leftPower = lr * lr + li * li;
      const rightPower = rr * rr + ri * ri;
      const both = lr * rr + li * ri;
      left[bin] += leftPower;
      right[bin] += rightPower;
      cross[bin] += both;
      own.power[bin] = leftPower + rightPower;
      own.cross[bin] = both;
      lr0 = lr1;
      li0 = li1;
      rr0 = rr1;
      ri0 = ri1;
      lr1 = lr2;
      li1 = li2;
      rr1 = rr2;
      ri1 = ri2;
    }
    return own;
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
  tick: (share: number) => void = () => {},
): StereoSpectra {
  const size = transformSizeFor(rateHz);
  const meter = new StereoSpectraMeter(rateHz, size);
  const visit = ([block, before]: readonly PairBlock[]) => void meter.add(before, block);
  visitPairBlocks(left, right, size, 1, visit, tick);
  return withLowEnd(meter.spectra(), lowSpectra(left, right, rateHz));
}

/**
 * Spectra of the low end, in windows four times as long, of which a third of a second would blur what lies close together.
 * @param told of each window
 */
export function lowSpectra(
  left: Float32Array,
  right: Float32Array,
  rateHz: number,
  told: (window: WindowSpectra) => void = () => {},
): StereoSpectra {
  const factor = (longer * transformSizeFor(rateHz)) / lowSize;
  const meter = new StereoSpectraMeter(rateHz / factor, lowSize);
  const sides = [lowered(left, factor), left === right ? null : lowered(right, factor)];
  const [first, second = first] = sides.filter((side) => side !== null);
  visitPairBlocks(first, second, lowSize, 1, ([block, before]) => told(meter.add(before, block)));
  const { hzPerBin, ...spectra } = meter.spectra();
  const even = evenness(first, second);
  return {
    hzPerBin,
    left: spectra.left.map((power) => power * even),
    right: spectra.right.map((power) => power * even),
    cross: spectra.cross.map((power) => power * even),
  };
}

/**
 * Squared Hann windows that overlap by half add up to between a half and one, 3/4 in the mean: over few of them what is loud may have
 * met more or less. By this their sum is what the energy of both sides says.
 */
function evenness(left: Float32Array, right: Float32Array): number {
  let [energy, met] = [0, 0];
  for (let n = 0; n < left.length; n++) {
    const power = left[n] * left[n] + right[n] * right[n];
    energy += power;
    met += power * (0.75 + 0.25 * cos((4 * PI * n) / lowSize));
  }
  return met > 0 ? (0.75 * energy) / met : 1;
}

/** Both as one: the fine bins of the low end, and each coarse bin above as four. */
export function withLowEnd(coarse: StereoSpectra, low: StereoSpectra): StereoSpectra {
  const coarseSize = 2 * (coarse.left.length - 1);
  // The energy of a window goes with its length, that of a lowered signal with its rate.
  const scale = coarseSize ** 2 / ((lowSize / longer) * lowSize);
  const first = Math.ceil(lowTopHz / low.hzPerBin);
  const joined = (fine: Float64Array, rough: Float64Array) => {
    const bins = new Float64Array(longer * (rough.length - 1) + 1);
    for (let bin = 0; bin < bins.length; bin++)
      bins[bin] =
        bin < first
          ? fine[bin] * scale
          : rough[Math.min(rough.length - 1, Math.round(bin / longer))] / longer;
    return bins;
  };
  return {
    hzPerBin: low.hzPerBin,
    left: joined(low.left, coarse.left),
    right: joined(low.right, coarse.right),
    cross: joined(low.cross, coarse.cross),
  };
}

/** What a bin of such spectra holds of a signal whose energy lies one in each bin of its own transform: a Hann window's is 3/4 (two of them overlap). */
export const energyInBin = 0.75 / longer;

/** Above it bands are read off the short windows, below it off the long ones. */
export const lowWindowsTopHz = lowTopHz;

/** Power spectrum of (L+R)/2. */
export function foldSpectrum(spectra: StereoSpectra): Float64Array {
  return spectra.left.map((left, bin) => (left + spectra.right[bin] + 2 * spectra.cross[bin]) / 4);
}

/** (|L|²+|R|²)/2: what the fold would be if both sides were one. */
export function sidesSpectrum(spectra: StereoSpectra): Float64Array {
  return spectra.left.map((left, bin) => (left + spectra.right[bin]) / 2);
}
