import { hannWindow, RealFft } from '@pannet/core/signal/spectrum';

/** Level and frequency of what should be one sine, and what is left beside it. */
export interface SineFigures {
  readonly errorCents: number;
  /** Highest over lowest level in windows of 50 ms, in dB. */
  readonly amDb: number;
  /** All but the best-fitting steady sine, against it, in dB. */
  readonly residualDb: number;
}

/** Looks at the middle of a signal that should be a sine of `hz`. */
export function sineFigures(signal: Float32Array, hz: number, rateHz: number): SineFigures {
  const window = Math.round(0.05 * rateHz);
  const hop = Math.round(window / 4);
  const weights = hannWindow(window);
  const from = Math.round(rateHz);
  const to = signal.length - rateHz;
  const phases: number[] = [];
  const levels: number[] = [];
  let before = 0;
  for (let at = from; at + window <= to; at += hop) {
    let re = 0;
    let im = 0;
    for (let n = 0; n < window; n++) {
      const w = (2 * Math.PI * hz * (at + n)) / rateHz;
      re += weights[n] * signal[at + n] * Math.cos(w);
      im -= weights[n] * signal[at + n] * Math.sin(w);
    }
    const phase = Math.atan2(im, re);
    // Unwrapped against the one before.
    const whole = phase + Math.round((before - phase) / (2 * Math.PI)) * 2 * Math.PI;
    phases.push(whole);
    before = whole;
    levels.push(Math.hypot(re, im));
  }
  const slope = lineSlope(phases) / (hop / rateHz);
  const found = hz + slope / (2 * Math.PI);
  return {
    errorCents: 1200 * Math.log2(found / hz),
    amDb: 20 * Math.log10(Math.max(...levels) / Math.min(...levels)),
    residualDb: residualDb(signal.subarray(from, to), found, rateHz),
  };
}

function lineSlope(values: readonly number[]): number {
  const middle = (values.length - 1) / 2;
  let sum = 0;
  let squares = 0;
  for (const [n, value] of values.entries()) {
    sum += (n - middle) * value;
    squares += (n - middle) ** 2;
  }
  return sum / squares;
}

function residualDb(signal: Float32Array, hz: number, rateHz: number): number {
  let [cc, ss, cs, xc, xs] = [0, 0, 0, 0, 0];
  for (let n = 0; n < signal.length; n++) {
    const c = Math.cos((2 * Math.PI * hz * n) / rateHz);
    const s = Math.sin((2 * Math.PI * hz * n) / rateHz);
    cc += c * c;
    ss += s * s;
    cs += c * s;
    xc += signal[n] * c;
    xs += signal[n] * s;
  }
  const determinant = cc * ss - cs * cs;
  const a = (xc * ss - xs * cs) / determinant;
  const b = (xs * cc - xc * cs) / determinant;
  let rest = 0;
  let whole = 0;
  for (let n = 0; n < signal.length; n++) {
    const fit =
      a * Math.cos((2 * Math.PI * hz * n) / rateHz) + b * Math.sin((2 * Math.PI * hz * n) / rateHz);
    rest += (signal[n] - fit) ** 2;
    whole += fit * fit;
  }
  return 10 * Math.log10(rest / whole);
}

/** Four-term Blackman-Harris (1978): side lobes at −92 dB. */
function blackmanHarris(length: number): Float64Array {
  const terms = [0.35875, -0.48829, 0.14128, -0.01168];
  return Float64Array.from({ length }, (_, n) =>
    terms.reduce((sum, term, k) => sum + term * Math.cos((2 * Math.PI * k * n) / length), 0),
  );
}

/** Energy farther than `nearHz` from every partial, against all of it, in dB. */
export function besidePartialsDb(
  signal: Float32Array,
  partials: readonly number[],
  rateHz: number,
  nearHz = 4,
): number {
  const size = 131_072;
  const start = Math.floor((signal.length - size) / 2);
  const window = blackmanHarris(size);
  const piece = Float32Array.from({ length: size }, (_, n) => signal[start + n] * window[n]);
  const fft = new RealFft(size);
  const spectrum = fft.createSpectrum();
  fft.forward(piece, spectrum);
  const near = new Uint8Array(size / 2);
  for (const hz of partials)
    for (
      let k = Math.max(0, Math.floor(((hz - nearHz) * size) / rateHz));
      k <= Math.min(size / 2 - 1, Math.ceil(((hz + nearHz) * size) / rateHz));
      k++
    )
      near[k] = 1;
  let beside = 0;
  let all = 0;
  for (let k = Math.round((20 * size) / rateHz); k < size / 2; k++) {
    const power = spectrum[2 * k] ** 2 + spectrum[2 * k + 1] ** 2;
    all += power;
    if (!near[k]) beside += power;
  }
  return 10 * Math.log10(beside / all);
}

const frame = 2048;
const hop = 512;

/**
 * How far the magnitudes of a tuned signal are from those of its source read at the same places at another speed: the
 * Frobenius norm of the difference over that of the reference (spectral convergence, Arık et al. 2018).
 * @param lag frames by which the tuned signal comes late
 */
export function spectralConvergence(
  source: Float32Array,
  tuned: Float32Array,
  ratio: number,
  lag: number,
  every = 1,
): number {
  const window = hannWindow(frame);
  const fft = new RealFft(frame);
  const a = fft.createSpectrum();
  const b = fft.createSpectrum();
  const read = (x: Float32Array, at: number) => {
    const whole = Math.floor(at);
    const t = at - whole;
    // Cubic Lagrange: far under what is compared.
    const v = (k: number) => x[whole + k] ?? 0;
    return (
      (-t * (t - 1) * (t - 2) * v(-1)) / 6 +
      ((t + 1) * (t - 1) * (t - 2) * v(0)) / 2 -
      ((t + 1) * t * (t - 2) * v(1)) / 2 +
      ((t + 1) * t * (t - 1) * v(2)) / 6
    );
  };
  let difference = 0;
  let reference = 0;
  for (let at = frame; at + 2 * frame < source.length; at += hop * every) {
    const first = new Float32Array(frame);
    const second = new Float32Array(frame);
    for (let n = 0; n < frame; n++) {
      first[n] = window[n] * read(source, at + frame / 2 + ratio * (n - frame / 2));
      second[n] = window[n] * (tuned[at + n + lag] ?? 0);
    }
    fft.forward(first, a);
    fft.forward(second, b);
    for (let k = 0; k <= frame / 2; k++) {
      const x = Math.hypot(a[2 * k], a[2 * k + 1]);
      const y = Math.hypot(b[2 * k], b[2 * k + 1]);
      difference += (x - y) ** 2;
      reference += x * x;
    }
  }
  return Math.sqrt(difference / reference);
}

/** The same at the lag within ±`most` frames where both agree best. */
export function bestConvergence(
  source: Float32Array,
  tuned: Float32Array,
  ratio: number,
  most: number,
): number {
  let best = 0;
  let lowest = Infinity;
  for (const step of [128, 16]) {
    const centre = best;
    const reach = step === 128 ? most : 128;
    for (let lag = centre - reach; lag <= centre + reach; lag += step) {
      const value = spectralConvergence(source, tuned, ratio, lag, 8);
      if (value < lowest) {
        lowest = value;
        best = lag;
      }
    }
  }
  return spectralConvergence(source, tuned, ratio, best);
}
