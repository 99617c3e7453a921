import type FFT from 'fft.js';
import { fftOf, nextPowerOfTwo } from './spectrum.ts';

/** Filters by any impulse response, stretch by stretch: overlap-save (Stockham 1966). */
export class Convolver {
  /** It sees so many frames before each one. */
  readonly reach: number;
  readonly #fft: FFT;
  readonly #size: number;
  readonly #kernel: number[];

  constructor(impulse: ArrayLike<number>) {
    this.reach = impulse.length - 1;
    this.#size = nextPowerOfTwo(Math.max(64, 4 * this.reach));
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
    const samples = new Array<number>(this.#size).fill(0);
    const spectrum = this.#fft.createComplexArray();
    const product = this.#fft.createComplexArray();
    for (let from = 0; from < count; from += run) {
      for (let n = 0; n < this.#size; n++) samples[n] = input[from + n] ?? 0;
      this.#fft.realTransform(spectrum, samples);
      this.#fft.completeSpectrum(spectrum);
      for (let k = 0; k < spectrum.length; k += 2) {
        const re = spectrum[k] * this.#kernel[k] - spectrum[k + 1] * this.#kernel[k + 1];
        spectrum[k + 1] = spectrum[k] * this.#kernel[k + 1] + spectrum[k + 1] * this.#kernel[k];
        spectrum[k] = re;
      }
      this.#fft.inverseTransform(product, spectrum);
      // The first `reach` values have wrapped round.
      const last = Math.min(run, count - from);
      for (let n = 0; n < last; n++) output[from + n] = product[2 * (n + reach)];
    }
    return output;
  }
}
