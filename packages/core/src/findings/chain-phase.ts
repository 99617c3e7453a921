import { bandAround } from '../measurement/bands.ts';
import { fftOf, hannWindow, nextPowerOfTwo } from '../signal/spectrum.ts';
import type { ChainOffset } from './chain-offset.ts';

const { PI, atan2, cos, floor, hypot, log10, max, min, sin } = Math;

/** How two chains stand to each other in a sixth of an octave. */
export interface ChainPhase {
  readonly hz: number;
  /** By how much the second is ahead once their offset and polarity are taken out, −180 to 180; null where they have too little in common. */
  readonly degrees: number | null;
  /** What their fold loses against both sides, in dB: as they are, and as they would be lined up; null where there is next to no sound. */
  readonly lossDb: number | null;
  readonly linedUpLossDb: number | null;
}

const fromHz = 40;
const toHz = 16_000;
const stepsPerOctave = 6;
/** Coherence under this is no phase that stands still. */
const coherent = 0.5;
/** So far under the loudest band nothing is said. */
const audibleDb = 50;
const deepestDb = -40;

/**
 * What of an offset is no delay: phase and loss over frequency, from the cross-spectrum of both summed over windows of a third of a second
 * (Welch 1967).
 * @param offset as it was found; null where one is silent
 */
export function chainPhase(
  first: Float32Array,
  second: Float32Array,
  rateHz: number,
  offset: ChainOffset | null,
): readonly ChainPhase[] {
  const size = nextPowerOfTwo(rateHz / 3);
  const window = hannWindow(size);
  const fft = fftOf(size);
  const samples = fft.createComplexArray();
  const spectrum = fft.createComplexArray();
  const half = size / 2;
  const [ones, others] = [new Float64Array(half), new Float64Array(half)];
  const [re, im] = [new Float64Array(half), new Float64Array(half)];
  for (let from = -half; from < first.length; from += half) {
    for (let n = 0; n < size; n++) {
      samples[2 * n] = window[n] * (first[from + n] ?? 0);
      samples[2 * n + 1] = window[n] * (second[from + n] ?? 0);
    }
    fft.transform(spectrum, samples);
    // Both were real: the first lies in what is alike on both sides of the middle, the second in what is not.
    for (let k = 1; k < half; k++) {
      const [a, b] = [spectrum[2 * k], spectrum[2 * k + 1]];
      const [c, d] = [spectrum[2 * (size - k)], spectrum[2 * (size - k) + 1]];
      const [xr, xi, yr, yi] = [(a + c) / 2, (b - d) / 2, (b + d) / 2, (c - a) / 2];
      ones[k] += xr * xr + xi * xi;
      others[k] += yr * yr + yi * yi;
      re[k] += yr * xr + yi * xi;
      im[k] += yi * xr - yr * xi;
    }
  }
  const late = offset?.frames ?? 0;
  const sign = offset?.polarity === 'inverted' ? -1 : 1;
  const rows: { hz: number; power: number; cross: Cross; lined: Cross; shared: number }[] = [];
  for (let hz = fromHz; hz <= min(toHz, 0.45 * rateHz); hz *= 2 ** (1 / stepsPerOctave)) {
    const { lowHz, highHz } = bandAround(hz, stepsPerOctave);
    let [one, other] = [0, 0];
    const [cross, lined] = [new Cross(), new Cross()];
    const last = min(
      half - 1,
      max(floor((highHz * size) / rateHz), floor((lowHz * size) / rateHz) + 1),
    );
    for (let k = floor((lowHz * size) / rateHz) + 1; k <= last; k++) {
      one += ones[k];
      other += others[k];
      cross.add(re[k], im[k]);
      // Earlier by the offset, and the other way up.
      const angle = (2 * PI * k * late) / size;
      const [c, s] = [sign * cos(angle), sign * sin(angle)];
      lined.add(re[k] * c - im[k] * s, re[k] * s + im[k] * c);
    }
    const shared = one > 0 && other > 0 ? lined.size ** 2 / (one * other) : 0;
    rows.push({ hz, power: one + other, cross, lined, shared });
  }
  const loudest = max(0, ...rows.map(({ power }) => power));
  return rows.map(({ hz, power, cross, lined, shared }) => {
    const heard = power > 0 && power > loudest * 10 ** (-audibleDb / 10);
    const loss = (of: Cross) =>
      heard ? max(deepestDb, 10 * log10(max(1e-12, (power + 2 * of.re) / (2 * power)))) : null;
    return {
      hz,
      degrees: heard && shared >= coherent ? (180 / PI) * lined.angle : null,
      lossDb: loss(cross),
      linedUpLossDb: loss(lined),
    };
  });
}

class Cross {
  re = 0;
  im = 0;

  add(re: number, im: number): void {
    this.re += re;
    this.im += im;
  }

  get size(): number {
    return hypot(this.re, this.im);
  }

  get angle(): number {
    return atan2(this.im, this.re);
  }
}
