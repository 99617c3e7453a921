import FFT from 'fft.js';

/** The one place that knows which FFT package is used. */
export class RealFft {
  readonly size: number;
  readonly #fft: FFT;
  readonly #input: number[];

  /** `size` is a power of two. */
  constructor(size: number) {
    this.size = size;
    this.#fft = new FFT(size);
    this.#input = new Array<number>(size).fill(0);
  }

  createSpectrum(): number[] {
    return this.#fft.createComplexArray();
  }

  /** Interleaved re, im of all `size` bins (the upper half completed). */
  forward(samples: ArrayLike<number>, spectrum: number[]): void {
    for (let n = 0; n < this.size; n++) this.#input[n] = samples[n] ?? 0;
    this.#fft.realTransform(spectrum, this.#input);
    this.#fft.completeSpectrum(spectrum);
  }

  /** Scaled by 1/size; interleaved re, im. */
  inverse(spectrum: number[], output: number[]): void {
    this.#fft.inverseTransform(output, spectrum);
  }
}

export function hannWindow(size: number): Float64Array {
  const window = new Float64Array(size);
  for (let n = 0; n < size; n++) window[n] = 0.5 - 0.5 * Math.cos((2 * Math.PI * n) / size);
  return window;
}

export function nextPowerOfTwo(value: number): number {
  return 2 ** Math.ceil(Math.log2(Math.max(1, value)));
}
