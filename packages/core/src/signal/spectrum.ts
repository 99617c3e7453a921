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

/** The real signal of a spectrum of bins 0 to size/2, interleaved re, im. */
export function realInverse(half: Float64Array, size: number): Float64Array {
  const fft = fftOf(size);
  const whole = fft.createComplexArray();
  for (let k = 0; k <= size / 2; k++) {
    const mirror = (size - k) % size;
    whole[2 * mirror] = half[2 * k];
    whole[2 * mirror + 1] = -half[2 * k + 1];
    whole[2 * k] = half[2 * k];
    whole[2 * k + 1] = half[2 * k + 1];
  }
  const signal = fft.createComplexArray();
  fft.inverseTransform(signal, whole);
  return Float64Array.from({ length: size }, (_, n) => signal[2 * n]);
}

export function hannWindow(size: number): Float64Array {
  const window = new Float64Array(size);
  for (let n = 0; n < size; n++) window[n] = 0.5 - 0.5 * cos((2 * PI * n) / size);
  return window;
}

export function nextPowerOfTwo(value: number): number {
  return 2 ** Math.ceil(Math.log2(Math.max(1, value)));
}
