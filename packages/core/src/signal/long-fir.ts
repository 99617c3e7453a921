import type FFT from 'fft.js';
import { fftOf, nextPowerOfTwo } from './spectrum.ts';

const { PI, cos } = Math;

/** A filter's response at a frequency in Hz. */
export interface Complex {
  readonly re: number;
  readonly im: number;
}

/**
 * A long linear filter, centred on its own time: it may ring before as well as after, since what it filters is known
 * ahead. Made from a frequency response that is sampled, turned into an impulse response and windowed.
 */
export class LongFir {
  /** Reaches so many frames to either side. */
  readonly half: number;
  readonly #fft: FFT;
  readonly #size: number;
  readonly #kernel: number[];

  /**
   * @param half a power of two; the response may not ring longer
   * @param response at frequencies from 0 to half the rate
   */
  constructor(half: number, rateHz: number, response: (hz: number) => Complex) {
    this.half = half;
    const impulse = impulseOf(2 * half, rateHz, response);
    this.#size = nextPowerOfTwo(8 * half);
    this.#fft = fftOf(this.#size);
    const padded = new Array<number>(this.#size).fill(0);
    for (let n = 0; n < impulse.length; n++) padded[n] = impulse[n];
    this.#kernel = this.#fft.createComplexArray();
    this.#fft.realTransform(this.#kernel, padded);
    this.#fft.completeSpectrum(this.#kernel);
  }

  /**
   * Filters a stretch.
   * @param input `half` frames more than `count` on either side
   */
  process(input: ArrayLike<number>, count: number): Float32Array {
    const { half } = this;
    const output = new Float32Array(count);
    const run = this.#size - 2 * half;
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
      // The first 2·half values have wrapped round.
      const last = Math.min(run, count - from);
      for (let n = 0; n < last; n++) output[from + n] = product[2 * (n + 2 * half)];
    }
    return output;
  }
}

/** The impulse response of `size` + 1 taps round its middle; its ends are faded out over an eighth each. */
function impulseOf(size: number, rateHz: number, response: (hz: number) => Complex): Float64Array {
  const fft = fftOf(size);
  const spectrum = fft.createComplexArray();
  for (let k = 0; k <= size / 2; k++) {
    const { re, im } = response((k * rateHz) / size);
    spectrum[2 * k] = re;
    spectrum[2 * k + 1] = k === 0 || k === size / 2 ? 0 : im;
    if (k > 0 && k < size / 2) {
      spectrum[2 * (size - k)] = re;
      spectrum[2 * (size - k) + 1] = -im;
    }
  }
  const time = fft.createComplexArray();
  fft.inverseTransform(time, spectrum);
  const half = size / 2;
  const impulse = new Float64Array(size + 1);
  const edge = size / 8;
  for (let n = 0; n <= size; n++) {
    const fromEnd = Math.min(n, size - n);
    const window = fromEnd >= edge ? 1 : 0.5 - 0.5 * cos((PI * fromEnd) / edge);
    impulse[n] = time[2 * ((n + half) % size)] * window;
  }
  return impulse;
}
