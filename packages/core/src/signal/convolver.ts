import type FFT from 'fft.js';
import { fftOf, nextPowerOfTwo } from './spectrum.ts';

const { ceil, log2, max, min } = Math;

/**
 * Filters by any impulse response, stretch by stretch: overlap-save (Stockham 1966). Two stretches go through one transform, one as its
 * real and one as its imaginary part, since what filters them is real.
 */
export class Convolver {
  /** It sees so many frames before each one. */
  readonly reach: number;
  readonly #fft: FFT;
  readonly #size: number;
  readonly #kernel: number[];

  /** @param usual so many frames are mostly filtered at once */
  constructor(impulse: ArrayLike<number>, usual = 1 << 16) {
    this.reach = impulse.length - 1;
    this.#size = bestSize(this.reach, usual);
    this.#fft = fftOf(this.#size);
    const padded = new Array<number>(this.#size).fill(0);
    for (let n = 0; n < impulse.length; n++) padded[n] = impulse[n];
    this.#kernel = this.#fft.createComplexArray();
    this.#fft.realTransform(this.#kernel, padded);
    this.#fft.completeSpectrum(this.#kernel);
  }

  /**
   * Filters a stretch.
   * @param input `reach` frames more than `count`, before it
   */
  process(input: ArrayLike<number>, count: number): Float32Array<ArrayBuffer> {
    const { reach } = this;
    const output = new Float32Array(count);
    const run = this.#size - reach;
    const { samples, spectrum } = workOf(this.#fft);
    const kernel = this.#kernel;
    for (let from = 0; from < count; from += 2 * run) {
      const second = from + run < count ? from + run : input.length;
      fillEverySecond(samples, 0, input, from);
      fillEverySecond(samples, 1, input, second);
      this.#fft.transform(spectrum, samples);
      for (let k = 0; k < spectrum.length; k += 2) {
        const re = spectrum[k] * kernel[k] - spectrum[k + 1] * kernel[k + 1];
        spectrum[k + 1] = spectrum[k] * kernel[k + 1] + spectrum[k + 1] * kernel[k];
        spectrum[k] = re;
      }
      this.#fft.inverseTransform(samples, spectrum);
      // The first `reach` values have wrapped round.
      let last = min(run, count - from);
      for (let n = 0; n < last; n++) output[from + n] = samples[2 * (n + reach)];
      last = min(run, count - second);
      for (let n = 0; n < last; n++) output[second + n] = samples[2 * (n + reach) + 1];
    }
    return output;
  }
}

/** Every second value from one on: what an input holds from a place on, and nothing behind its end. */
function fillEverySecond(
  values: number[],
  first: 0 | 1,
  input: ArrayLike<number>,
  from: number,
): void {
  const there = min(values.length / 2, max(0, input.length - from));
  for (let n = 0; n < there; n++) values[2 * n + first] = input[from + n];
  for (let n = 2 * there + first; n < values.length; n += 2) values[n] = 0;
}

/** What is worked in, for each size: it is as large as a block, and one stretch is filtered after the other. */
const works = new WeakMap<FFT, { readonly samples: number[]; readonly spectrum: number[] }>();

function workOf(fft: FFT) {
  const kept = works.get(fft);
  if (kept) return kept;
  const work = { samples: fft.createComplexArray(), spectrum: fft.createComplexArray() };
  works.set(fft, work);
  return work;
}

/** The size of a transform with which so many frames take least: its own work, by how often it is done. */
function bestSize(reach: number, count: number): number {
  const work = (size: number) => ceil(count / (2 * (size - reach))) * size * log2(size);
  let best = nextPowerOfTwo(max(64, reach + 1));
  if (best <= reach) best *= 2;
  for (let size = 2 * best; size <= 8 * best; size *= 2) if (work(size) < work(best)) best = size;
  return best;
}
