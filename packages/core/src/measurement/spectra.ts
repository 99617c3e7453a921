import { visitPairBlocks, type PairBlock } from '../signal/pair-blocks.ts';
import { nextPowerOfTwo } from '../signal/spectrum.ts';
import { openRoom, transforms, type Room } from '../signal/transforms.ts';
import { lowered } from './low-pass.ts';
import type { StereoSpectra } from './stereo-spectra.ts';

const { cos, PI } = Math;

/** What one window adds to the spectra; the arrays lie in the memory of the transforms, and are used again. */
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
  readonly #hzPerBin: number;
  readonly #bins: number;
  /** Power left, power right and cross of all windows, one after the other. */
  readonly #sums: Room;
  /** Power and cross of the window that was added last. */
  readonly #window: Room;

  /** @param size of the transform, a power of two; a third of a second resolves the comb of a pure delay to 0.1 dB */
  constructor(rateHz: number, size: number) {
    this.#hzPerBin = rateHz / size;
    this.#bins = size / 2 + 1;
    this.#sums = openRoom(3 * this.#bins);
    this.#window = openRoom(2 * this.#bins);
  }

  /** The window that ends with a block and begins with the one before: what it adds. */
  add({ first, second }: PairBlock, block: PairBlock): WindowSpectra {
    const [left, right, sums, own] = [first.at, second.at, this.#sums.at, this.#window.at];
    const { first: nextLeft, second: nextRight } = block;
    transforms.addWindow(left, nextLeft.at, right, nextRight.at, this.#bins - 1, sums, own);
    const [power, cross] = parted(this.#window.values, this.#bins);
    return { hzPerBin: this.#hzPerBin, power, cross };
  }

  spectra(): StereoSpectra {
    const [left, right, cross] = parted(this.#sums.values.slice(), this.#bins);
    return { hzPerBin: this.#hzPerBin, left, right, cross };
  }

  /** Gives back the room that it works in; nothing can be added any more. */
  close(): void {
    this.#sums.close();
    this.#window.close();
  }
}

/** Cut into parts of one length. */
function parted(values: Float64Array, length: number): Float64Array[] {
  return Array.from({ length: values.length / length }, (_, n) =>
    values.subarray(n * length, (n + 1) * length),
  );
}

/** The spectra of whole sides alone. */
export function stereoSpectra(
  left: Float32Array,
  right: Float32Array,
  rateHz: number,
  tick: (share: number) => void = () => {},
): StereoSpectra {
  const size = transformSizeFor(rateHz);
  const spectra = windowed(left, right, rateHz, size, () => {}, tick);
  const still = () => tick(1);
  return withLowEnd(spectra, lowSpectra(lowEnd(left, right, rateHz, still), still));
}

/** The windows of two sides added up. */
function windowed(
  left: Float32Array,
  right: Float32Array,
  rateHz: number,
  size: number,
  told: (window: WindowSpectra) => void,
  tick?: (share: number) => void,
): StereoSpectra {
  const meter = new StereoSpectraMeter(rateHz, size);
  const visit = ([block, before]: readonly PairBlock[]) => told(meter.add(before, block));
  try {
    visitPairBlocks(left, right, size, 1, visit, tick);
    return meter.spectra();
  } finally {
    meter.close();
  }
}

/** Both sides at a low rate, some 1.5 kHz, at which the low end is all there is; one array where both are one. */
export interface LowEnd {
  readonly left: Float32Array;
  readonly right: Float32Array;
  readonly rateHz: number;
}

/** @param tick is called between the steps; it may throw to stop */
export function lowEnd(
  left: Float32Array,
  right: Float32Array,
  rateHz: number,
  tick: () => void = () => {},
): LowEnd {
  const factor = (longer * transformSizeFor(rateHz)) / lowSize;
  const first = lowered(left, factor);
  tick();
  return {
    left: first,
    right: left === right ? first : lowered(right, factor),
    rateHz: rateHz / factor,
  };
}

/**
 * Spectra of the low end, in windows four times as long, of which a third of a second would blur what lies close together.
 * @param told of each window; may throw to stop
 */
export function lowSpectra(
  { left, right, rateHz }: LowEnd,
  told: (window: WindowSpectra) => void = () => {},
): StereoSpectra {
  const { hzPerBin, ...spectra } = windowed(left, right, rateHz, lowSize, told);
  const even = evenness(left, right);
  return {
    hzPerBin,
    left: spectra.left.map((power) => power * even),
    right: spectra.right.map((power) => power * even),
    cross: spectra.cross.map((power) => power * even),
  };
}

/** What squared Hann windows that overlap by half add up to, from place to place in half of one: between a half and one, 3/4 in the mean. */
const overlapped = Float64Array.from(
  { length: lowSize / 2 },
  (_, n) => 0.75 + 0.25 * cos((4 * PI * n) / lowSize),
);

/** Over few windows what is loud may have met more or less of them: by this their sum is what the energy of both sides says. */
function evenness(left: Float32Array, right: Float32Array): number {
  let [energy, met] = [0, 0];
  for (let n = 0; n < left.length; n++) {
    const power = left[n] * left[n] + right[n] * right[n];
    energy += power;
    met += power * overlapped[n % overlapped.length];
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
