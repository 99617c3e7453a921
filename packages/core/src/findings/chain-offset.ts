import { kWeighting } from '../measurement/loudness.ts';
import { Cascade } from '../signal/cascade.ts';
import { fftOf, nextPowerOfTwo } from '../signal/spectrum.ts';

const { PI, abs, ceil, cos, log10, max, min, round, sin, sqrt } = Math;

/** How one side lies against the other where their sum is loudest. */
export interface ChainOffset {
  /** By how many frames the second is later. */
  readonly frames: number;
  readonly polarity: 'normal' | 'inverted';
  /** Correlation of both there, K-weighted, 0 to 1: how much of one is in the other. */
  readonly likeness: number;
  /** What lining them up gives the K-weighted fold, in dB. */
  readonly gainDb: number;
}

/** Chains are not farther apart than this; what is, was meant so. */
const reachMs = 25;
/** Between whole frames the correlation is read by a windowed sinc so long to either side. */
const arms = 32;
/** Steps in which the peak is looked for between frames, and then a parabola. */
const fine = 16;

/**
 * Delay and polarity of a side that give the K-weighted fold its most: with both powers fixed, that of the sum goes with the
 * correlation, so it is the highest peak of that (Knapp and Carter 1976, without prewhitening; K after ITU-R BS.1770).
 * @returns null where a side is silent
 */
export function chainOffset(
  first: Float32Array,
  second: Float32Array,
  rateHz: number,
): ChainOffset | null {
  const [one, other] = [weighted(first, rateHz), weighted(second, rateHz)];
  const [power, otherPower] = [energy(one), energy(other)];
  const scale = sqrt(power * otherPower);
  if (!(scale > 1e-9)) return null;
  const reach = ceil((reachMs / 1000) * rateHz);
  const at = correlation(one, other, reach + arms);
  let best = 0;
  for (let lag = -reach; lag <= reach; lag++) if (abs(at(lag)) > abs(at(best))) best = lag;
  const sign = at(best) < 0 ? -1 : 1;
  const between = (lag: number) => sign * sincAt(at, lag);
  let top = best;
  for (let k = -fine; k <= fine; k++) {
    const lag = best + k / fine;
    if (between(lag) > between(top)) top = lag;
  }
  const step = 1 / fine;
  const [a, b, c] = [between(top - step), between(top), between(top + step)];
  const bend = a - 2 * b + c;
  const frames = top + (bend < 0 ? (0.5 * step * (a - c)) / bend : 0);
  // Of a sum: both powers, and twice what they have in common.
  const fold = (common: number) => max(1e-9 * scale, power + otherPower + 2 * common);
  return {
    frames,
    polarity: sign < 0 ? 'inverted' : 'normal',
    likeness: min(1, max(0, b / scale)),
    gainDb: 10 * log10(fold(b) / fold(at(0))),
  };
}

function weighted(samples: Float32Array, rateHz: number): Float64Array {
  const values = Float64Array.from(samples);
  new Cascade(kWeighting(rateHz)).process(values);
  return values;
}

function energy(samples: Float64Array): number {
  return samples.reduce((sum, value) => sum + value * value, 0);
}

/** Σ first[n]·second[n + lag] for lags up to `reach`, by transforms of pieces: the longest takes too much room at once. */
function correlation(
  first: Float64Array,
  second: Float64Array,
  reach: number,
): (lag: number) => number {
  const size = nextPowerOfTwo(max(8 * reach, 1 << 14));
  const run = size - 2 * reach;
  const fft = fftOf(size);
  const [x, y] = [fft.createComplexArray(), fft.createComplexArray()];
  const product = fft.createComplexArray();
  const sums = new Float64Array(2 * reach + 1);
  const piece = new Array<number>(size);
  for (let start = 0; start < first.length; start += run) {
    for (let n = 0; n < size; n++) piece[n] = n < run ? (first[start + n] ?? 0) : 0;
    fft.realTransform(x, piece);
    fft.completeSpectrum(x);
    for (let n = 0; n < size; n++) piece[n] = second[start + n - reach] ?? 0;
    fft.realTransform(y, piece);
    fft.completeSpectrum(y);
    for (let k = 0; k < 2 * size; k += 2) {
      product[k] = x[k] * y[k] + x[k + 1] * y[k + 1];
      product[k + 1] = x[k] * y[k + 1] - x[k + 1] * y[k];
    }
    const lags = fft.createComplexArray();
    fft.inverseTransform(lags, product);
    for (let n = 0; n <= 2 * reach; n++) sums[n] += lags[2 * n];
  }
  return (lag) => sums[lag + reach] ?? 0;
}

function sincAt(at: (lag: number) => number, lag: number): number {
  const whole = round(lag);
  const away = lag - whole;
  if (abs(away) < 1e-9) return at(whole);
  let sum = 0;
  for (let k = -arms + 1; k < arms; k++) {
    const x = away - k;
    sum += ((at(whole + k) * sin(PI * x)) / (PI * x)) * (0.5 + 0.5 * cos((PI * x) / arms));
  }
  return sum;
}
