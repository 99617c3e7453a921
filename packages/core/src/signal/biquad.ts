/** Second-order section, a0 normalised to 1: y = b0·x + b1·x₁ + b2·x₂ − a1·y₁ − a2·y₂. */
export interface BiquadCoefficients {
  readonly b0: number;
  readonly b1: number;
  readonly b2: number;
  readonly a1: number;
  readonly a2: number;
}

/** Below this a state is flushed to 0 once a block, or denormal numbers make the filter some 35 times slower. */
const silence = 1e-25;

/** Transposed direct form II, double precision. */
export class Biquad {
  readonly #coefficients: BiquadCoefficients;
  #first = 0;
  #second = 0;

  constructor(coefficients: BiquadCoefficients) {
    this.#coefficients = coefficients;
  }

  /** Filters `count` values of `input` into `output`; both may be the same array. */
  process(input: Float32Array | Float64Array, output: Float64Array, count: number): void {
    const { b0, b1, b2, a1, a2 } = this.#coefficients;
    let first = this.#first;
    let second = this.#second;
    for (let n = 0; n < count; n++) {
      const x = input[n];
      const y = b0 * x + first;
      first = b1 * x + second - a1 * y;
      second = b2 * x - a2 * y;
      output[n] = y;
    }
    this.#first = Math.abs(first) < silence ? 0 : first;
    this.#second = Math.abs(second) < silence ? 0 : second;
  }

  /** Remembers nothing any more. */
  clear(): void {
    this.#first = 0;
    this.#second = 0;
  }

  /** What it remembers, to go on from there another time. */
  get state(): readonly number[] {
    return [this.#first, this.#second];
  }

  set state([first, second]: readonly number[]) {
    this.#first = first;
    this.#second = second;
  }
}
