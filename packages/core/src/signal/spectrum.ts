import FFT from 'fft.js';

const { cos, PI } = Math;

const plans = new Map<number, FFT>();

/** A transform of `size` points; its tables are dear, so each size is made once. */
export function fftOf(size: number): FFT {
  let plan = plans.get(size);
  if (!plan) plans.set(size, (plan = new FFT(size)));
  return plan;
}

/** For real signals. */
export class RealFft {
  readonly size: number;
  readonly #fft: FFT;
  readonly #input: number[];

  /** `size` is a power of two. */
  constructor(size: number) {
    this.size = size;
    this.#fft = fftOf(size);
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
  for (let n = 0; n < size; n++) window[n] = 0.5 - 0.5 * cos((2 * PI * n) / size);
  return window;
}

export function nextPowerOfTwo(value: number): number {
  return 2 ** Math.ceil(Math.log2(Math.max(1, value)));
}
