import { framesToMs, frames, hz } from '../quantities/units.ts';
import type { PairBlock } from '../signal/pair-blocks.ts';
import { parabolaPeak } from '../signal/parabola.ts';
import { bandSum, thirdOctaveBands } from './bands.ts';
import { fftOf, nextPowerOfTwo, realInverse } from '../signal/spectrum.ts';
import { openRoom, transforms, type Room } from '../signal/transforms.ts';
import { largestAt, leadOf } from './lead.ts';
import type { SideSums } from './sides.ts';
import { energyInBin } from './spectra.ts';
import type { StereoSpectra } from './stereo-spectra.ts';

const { abs, ceil, cos, floor, hypot, max, min, PI, round, sqrt } = Math;

export interface Likeness {
  /** Signed, −1 to 1. */
  readonly value: number;
  /** Above 0: the right side speaks later, so the left one leads. */
  readonly lagMs: number;
}

/** What both sides say of each other. */
export interface SidesAlike {
  /** The signed peak of largest magnitude of the normalised cross-correlation; of equally high ones that at which all tones agree. */
  readonly likeness: Likeness;
  /** Of the third octaves that are heard, the share that is as alike at this lag: 1 for a copy, little where some tones decide. */
  readonly bandsAlike: number;
  /** By how much the left side leads; null where that is not sure. */
  readonly leadMs: number | null;
}

const largestLagMs = 320;
/** So many bins of all blocks lie in a near cache together. */
const pieceBins = 128;

/**
 * Are the sides copies, and by how much apart: the signed peak of largest magnitude of the normalised
 * cross-correlation within ±320 ms, over all that is given. It is summed up block by block: each block of the left side
 * times those of the right one that lie so many blocks before and after it.
 */
export class LikenessMeter {
  readonly #rateHz: number;
  readonly #size: number;
  readonly #largestLag: number;
  /** How many blocks before and after are looked at. */
  readonly reach: number;
  /** Σ L*·R of blocks that lie −reach … reach apart. */
  readonly #products: readonly Room[];

  /** @param size of the transform that the blocks are half of */
  constructor(rateHz: number, size: number) {
    this.#rateHz = rateHz;
    this.#size = size;
    this.#largestLag = round((largestLagMs * rateHz) / 1000);
    this.reach = ceil(this.#largestLag / (size / 2));
    this.#products = Array.from({ length: 2 * this.reach + 1 }, () => openRoom(size + 2));
  }

  /** How many blocks before the newest one are wanted. */
  get kept(): number {
    return this.reach + 1;
  }

  /**
   * Blocks are added two at once, so that what is summed up is read and written once for both: nothing happens at the first of two. One that is left over is
   * the last one, which is silent.
   * @param blocks the newest first, and those before it that are wanted
   * @param n number of the newest one, from 0
   */
  add(blocks: readonly PairBlock[], n: number): void {
    if (n % 2 === 0) return;
    const bins = this.#size / 2 + 1;
    // Piece by piece, so that what is asked for again is still near.
    for (let from = 0; from < bins; from += pieceBins) {
      const here = 16 * from;
      const count = min(pieceBins, bins - from);
      for (let apart = -this.reach; apart <= this.reach; apart++) {
        // The left side's block lies so many before the right one's.
        const [left, right] = [max(0, apart), max(0, -apart)];
        transforms.addProducts(
          this.#products[this.reach + apart].at + here,
          blocks[left + 1].first.at + here,
          blocks[right + 1].second.at + here,
          blocks[left].first.at + here,
          blocks[right].second.at + here,
          count,
        );
      }
    }
  }

  /** Gives back the room that it works in; nothing can be added any more. */
  close(): void {
    for (const product of this.#products) product.close();
  }

  /**
   * @param sums over all that was given
   * @param spectra of the same, whatever their resolution
   * @param risesMs by how much later the right side's level rises; null where that is not sure
   * @returns null where a side is silent
   */
  alike(sums: SideSums, spectra: StereoSpectra, risesMs: number | null): SidesAlike | null {
    const scale = sqrt(sums.left * sums.right);
    if (!(scale > 0)) return null;
    const plain = this.#correlation();
    const white = whitened(plain, this.#largestLag, this.#rateHz, spectra);
    const largest = this.#largestLag;
    const peak = (at: (lag: number) => number, lag: number): Likeness => {
      const offset = abs(lag) < largest ? parabolaPeak(at(lag - 1), at(lag), at(lag + 1)) : 0;
      return { value: at(lag), lagMs: framesToMs(frames(lag + offset), hz(this.#rateHz)) };
    };
    const lag = likeliestLag(plain, white, largest);
    const found = peak(plain, lag);
    return {
      likeness: { ...found, value: max(-1, min(1, found.value / scale)) },
      bandsAlike: bandsAlikeAt(plain, lag, largest, this.#rateHz, spectra),
      leadMs: leadOf(white, this.#rateHz, risesMs, (at) => peak(white, at).lagMs),
    };
  }

  /** The cross-correlation at every lag that is looked at. */
  #correlation(): (lag: number) => number {
    const half = this.#size / 2;
    // A block against the two that lie n and n + 1 blocks later: lags from n to n + 1 blocks.
    const runs = Array.from({ length: 2 * this.reach }, (_, n) => {
      const [near, far] = [this.#products[n].values, this.#products[n + 1].values];
      const both = near.map((value, k) => value + (k % 4 < 2 ? far[k] : -far[k]));
      return realInverse(both, this.#size);
    });
    return (lag) => {
      const run = max(0, min(runs.length - 1, floor(lag / half) + this.reach));
      return runs[run][lag - (run - this.reach) * half];
    };
  }
}

/** A tone is as alike a period later: peaks as high as this, against the highest, are told apart by what is whitened. */
const asHigh = 0.97;

function likeliestLag(
  plain: (lag: number) => number,
  white: (lag: number) => number,
  largest: number,
): number {
  const highest = largestAt(plain, largest, abs);
  const most = abs(plain(highest));
  let best = highest;
  for (let lag = 1 - largest; lag < largest; lag++) {
    const here = abs(plain(lag));
    if (here < asHigh * most || here < abs(plain(lag - 1)) || here < abs(plain(lag + 1))) continue;
    if (abs(white(lag)) > abs(white(best))) best = lag;
  }
  return best;
}

/** Frequencies that count: what lies beyond tells mains hum or hiss. */
const lowestHz = 60;
const highestHz = 9000;
/** So far under the strongest frequency nothing is heard. */
const heardDb = 55;
/** What is loud counts a little more all the same: in the gaps between tones is nothing but what leaks into them. */
const loudnessCounts = 0.35;
/** Lags fade out from here on, as a share of the largest. */
const fadesFrom = 0.5;

/** The cross spectrum of lags up to so many from `centre`, which fade out; at `centre` its phase is 0. */
function lagSpectrum(
  plain: (lag: number) => number,
  centre: number,
  reach: number,
  size: number,
): number[] {
  const fft = fftOf(size);
  const input = new Array<number>(size).fill(0);
  for (let lag = -reach; lag <= reach; lag++) {
    const out = (abs(lag) / reach - fadesFrom) / (1 - fadesFrom);
    const window = out > 0 ? 0.5 + 0.5 * cos(PI * out) : 1;
    input[(lag + size) % size] = plain(lag + centre) * window;
  }
  const spectrum = fft.createComplexArray();
  fft.realTransform(spectrum, input);
  return spectrum;
}

/** A band is as alike as a copy from here on. */
const copiedBand = 0.93;
/** Bands this far under the strongest one are not asked. */
const askedBandDb = 30;
/** The narrowest look at lags round the one in question, in ms. */
const narrowestMs = 20;

/** How many of the third octaves that are heard are as alike at a lag as copies are. */
function bandsAlikeAt(
  plain: (lag: number) => number,
  lag: number,
  largest: number,
  rateHz: number,
  spectra: StereoSpectra,
): number {
  const reach = max(round((narrowestMs * rateHz) / 1000), largest - abs(lag));
  const size = nextPowerOfTwo(2 * reach + 2);
  const at = (other: number) => (abs(other) <= largest ? plain(other) : 0);
  const spectrum = lagSpectrum(at, lag, reach, size);
  const real = Float64Array.from({ length: size / 2 + 1 }, (_, bin) => spectrum[2 * bin]);
  const bands = thirdOctaveBands(rateHz).filter(({ lowHz }) => lowHz > lowestHz);
  const rows = bands.map((band) => ({
    // Both are energies of the band: of a bin each holds its own share.
    cross: (bandSum(real, rateHz / size, band) * energyInBin * rateHz) / size / spectra.hzPerBin,
    power: sqrt(
      bandSum(spectra.left, spectra.hzPerBin, band) *
        bandSum(spectra.right, spectra.hzPerBin, band),
    ),
  }));
  const strongest = max(0, ...rows.map(({ power }) => power));
  const asked = rows.filter(({ power }) => power > strongest * 10 ** (-askedBandDb / 10));
  const alike = asked.filter(({ cross, power }) => abs(cross) >= copiedBand * power);
  return asked.length > 0 ? alike.length / asked.length : 0;
}

/** The cross-correlation with every frequency of equal weight, low ones a little more, as the ear parts them; 1 for a copy. */
function whitened(
  plain: (lag: number) => number,
  largest: number,
  rateHz: number,
  { hzPerBin, left, right }: StereoSpectra,
): (lag: number) => number {
  const size = nextPowerOfTwo(2 * largest + 2);
  const spectrum = lagSpectrum(plain, 0, largest, size);
  const binHz = rateHz / size;
  // As finely as the lags resolve it.
  const power = (values: Float64Array, frequency: number) => {
    const first = max(0, floor((frequency - binHz) / hzPerBin));
    const last = min(values.length - 1, ceil((frequency + binHz) / hzPerBin));
    let sum = 0;
    for (let bin = first; bin <= last; bin++) sum += values[bin];
    return sum / max(1, last - first + 1);
  };
  const first = ceil(lowestHz / binHz);
  const last = min(size / 2 - 1, floor(highestHz / binHz));
  const rows: number[] = [];
  let strongest = 0;
  for (let bin = first; bin <= last; bin++) {
    const both = sqrt(power(left, bin * binHz) * power(right, bin * binHz));
    rows.push(both);
    strongest = max(strongest, both);
  }
  const floorPower = strongest * 10 ** (-heardDb / 10);
  const half = new Float64Array(size + 2);
  let weights = 0;
  for (let bin = first; bin <= last; bin++) {
    const both = rows[bin - first];
    if (!(both > floorPower)) continue;
    const weight = (both / strongest) ** loudnessCounts / sqrt(bin);
    weights += weight;
    const re = (spectrum[2 * bin] * energyInBin) / both;
    const im = (spectrum[2 * bin + 1] * energyInBin) / both;
    // No frequency hangs together more than wholly: in the gaps between tones the lags' own ends leak in.
    const share = weight / max(1, hypot(re, im));
    half[2 * bin] = share * re;
    half[2 * bin + 1] = share * im;
  }
  const signal = realInverse(half, size);
  const scale = weights > 0 ? size / (2 * weights) : 0;
  return (lag) => max(-1, min(1, signal[(lag + size) % size] * scale));
}
