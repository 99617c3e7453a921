import { Convolver } from './convolver.ts';
import { fftOf } from './spectrum.ts';

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
  readonly #convolver: Convolver;

  /**
   * @param half a power of two; the response may not ring longer
   * @param response at frequencies from 0 to half the rate
   */
  constructor(half: number, rateHz: number, response: (hz: number) => Complex) {
    this.half = half;
    this.#convolver = new Convolver(impulseOf(2 * half, rateHz, response));
  }

  /**
   * Filters a stretch.
   * @param input `half` frames more than `count` on either side
   */
  process(input: Float32Array, count: number): Float32Array {
    return this.#convolver.process(input, count);
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
