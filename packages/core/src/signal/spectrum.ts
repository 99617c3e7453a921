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

/** For two real signals at once, one as the real and one as the imaginary part of what is transformed. */
export class PairFft {
  readonly size: number;
  readonly #fft: FFT;
  readonly #packed: number[];
  readonly #spectrum: number[];
  /** Interleaved re, im of bins 0 to size/2, after `forward`. */
  readonly first: Float64Array;
  readonly second: Float64Array;

  /** `size` is a power of two. */
  constructor(size: number) {
    this.size = size;
    this.#fft = fftOf(size);
    this.#packed = new Array<number>(2 * size).fill(0);
    this.#spectrum = this.#fft.createComplexArray();
    this.first = new Float64Array(size + 2);
    this.second = new Float64Array(size + 2);
  }

  /** Both have `size` values. */
  forward(first: Float64Array, second: Float64Array): void {
    const { size } = this;
    const packed = this.#packed;
    const z = this.#spectrum;
    for (let n = 0; n < size; n++) {
      packed[2 * n] = first[n];
      packed[2 * n + 1] = second[n];
    }
    this.#fft.transform(z, packed);
    const a = this.first;
    const b = this.second;
    for (let k = 0; k <= size / 2; k++) {
      const at = 2 * k;
      const mirror = k === 0 ? 0 : 2 * (size - k);
      // What is even about the middle is of the real part, what is odd of the imaginary one.
      a[at] = (z[at] + z[mirror]) / 2;
      a[at + 1] = (z[at + 1] - z[mirror + 1]) / 2;
      b[at] = (z[at + 1] + z[mirror + 1]) / 2;
      b[at + 1] = (z[mirror] - z[at]) / 2;
    }
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
