import { fftOf, hannWindow, nextPowerOfTwo } from '../../signal/spectrum.ts';
import type { ReadFrames } from '../../sources/blocks.ts';

const { ceil, exp, floor, fround, log, max, min, round } = Math;

/** A new spectrum every 5 ms; between them a parabola tells, and waves where they are alike. */
export const hopsASecond = 200;
export const bandCount = 12;
const lowestHz = 70;
const highestHz = 10_000;
/** What lies so far under a band's mean is nothing: noise rises and falls, too. */
const floorShare = 0.01;
const hopsAtOnce = 2000;

/** How a sound begins: by how much the power of each band rises, from hop to hop. */
export interface Flux {
  readonly hopFrames: number;
  /** How many hops there are. */
  readonly length: number;
  /** `bandCount` values a hop, hop by hop: rise of the logarithm of the power, 0 where it falls. */
  readonly bands: Float32Array;
  /** Their sum: how much begins there. */
  readonly novelty: Float32Array;
}

/**
 * Reads a take through.
 * @param tick told the share that is done; may throw to stop
 */
export async function fluxOf(
  read: ReadFrames,
  frames: number,
  rateHz: number,
  tick: (share: number) => void = () => {},
): Promise<Flux> {
  const hopFrames = round(rateHz / hopsASecond);
  // Longer than a period of the lowest tones, which would begin anew with each.
  const size = nextPowerOfTwo(3.5 * hopFrames);
  const length = max(1, ceil(frames / hopFrames));
  const powers = new Float32Array(length * bandCount);
  const transform = fftOf(size);
  const spectrum = transform.createComplexArray();
  const window = hannWindow(size);
  const windowed = new Array<number>(size).fill(0);
  const edges = Array.from({ length: bandCount + 1 }, (_, n) => {
    const top = min(highestHz, 0.45 * rateHz);
    const hz = lowestHz * exp((n / bandCount) * log(top / lowestHz));
    return max(n + 1, round((hz * size) / rateHz));
  });
  for (let first = 0; first < length; first += hopsAtOnce) {
    const count = min(hopsAtOnce, length - first);
    const start = first * hopFrames - size / 2;
    const samples = await read(start, (count - 1) * hopFrames + size);
    for (let n = 0; n < count; n++) {
      for (let k = 0; k < size; k++) windowed[k] = samples[n * hopFrames + k] * window[k];
      transform.realTransform(spectrum, windowed);
      for (let band = 0; band < bandCount; band++) {
        let power = 0;
        for (let k = edges[band]; k < max(edges[band] + 1, edges[band + 1]); k++)
          power += spectrum[2 * k] ** 2 + spectrum[2 * k + 1] ** 2;
        powers[(first + n) * bandCount + band] = power;
      }
    }
    tick((first + count) / length);
  }
  return { hopFrames, length, ...risesOf(powers, length) };
}

function risesOf(powers: Float32Array, length: number): Pick<Flux, 'bands' | 'novelty'> {
  const means = new Float64Array(bandCount);
  for (let n = 0; n < powers.length; n++) means[n % bandCount] += powers[n] / length;
  const whole = means.reduce((sum, mean) => sum + mean, 0);
  // A band in which next to nothing is has no beginnings of its own.
  const floors = means.map((mean) => floorShare * max(mean, whole * 1e-4) + 1e-20);
  const bands = new Float32Array(powers.length);
  const novelty = new Float32Array(length);
  for (let band = 0; band < bandCount; band++) {
    const level = (n: number) => log(1 + powers[n * bandCount + band] / floors[band]);
    for (let n = 1; n + 1 < length; n++) {
      const rise = fround(max(0, level(n + 1) - level(n - 1)));
      bands[n * bandCount + band] = rise;
      novelty[n] += rise;
    }
  }
  return { bands, novelty };
}

/** Hops at which something begins: peaks of the novelty that stand out of what is around them. */
export function onsetsOf({ novelty, length }: Flux): number[] {
  const around = floor(0.4 * hopsASecond);
  const apart = floor(0.06 * hopsASecond);
  const sorted = Float32Array.from(novelty).sort();
  const strong = sorted[floor(0.995 * (length - 1))];
  const onsets: number[] = [];
  let sum = 0;
  let count = 0;
  for (let n = 0; n < min(around, length); n++, count++) sum += novelty[n];
  for (let n = 0; n < length; n++) {
    if (n + around < length) {
      sum += novelty[n + around];
      count++;
    }
    if (n - around - 1 >= 0) {
      sum -= novelty[n - around - 1];
      count--;
    }
    const value = novelty[n];
    if (value < 0.3 * strong || value < (3.5 * sum) / count) continue;
    let highest = true;
    for (let k = max(0, n - apart); highest && k <= min(length - 1, n + apart); k++)
      highest = novelty[k] < value || (novelty[k] === value && k >= n);
    if (highest && value > 0) onsets.push(n);
  }
  return onsets;
}
