import { fftOf, nextPowerOfTwo } from '../../signal/spectrum.ts';
import { bandCount, hopsASecond, type Flux } from './flux.ts';

const { abs, max, min, round, sqrt } = Math;

/** Takes are looked for this far from each other, in seconds. */
export const mostOffsetSeconds = 20;
/** Bands are correlated in so many groups. */
const groups = 3;
/** Near its place a take is likelier than far away. */
const farLess = 0.1;

/** So many places are looked at more closely: on a steady beat a bar later looks much the same. */
const mostPlaces = 6;
const placesApartSeconds = 0.15;

export interface CoarseOffset {
  /** By how many hops the take is later than the reference. */
  readonly hops: number;
  /** The normalised correlation there, 0 to 1. */
  readonly likeness: number;
}

/** Shifts at which two takes begin most of their sounds together, the likeliest first: correlated over all of both, through transforms. */
export function likelyOffsets(reference: Flux, take: Flux): CoarseOffset[] {
  const size = nextPowerOfTwo(reference.length + take.length);
  const fft = fftOf(size);
  const sum = new Float64Array(size);
  let energies = 0;
  for (let group = 0; group < groups; group++) {
    const packed = new Array<number>(2 * size).fill(0);
    const [mine, other] = [groupOf(reference, group), groupOf(take, group)];
    for (let n = 0; n < mine.length; n++) packed[2 * n] = mine[n];
    for (let n = 0; n < other.length; n++) packed[2 * n + 1] = other[n];
    energies += sqrt(energyOf(mine) * energyOf(other));
    const z = fft.createComplexArray();
    fft.transform(z, packed);
    // Both in one transform: reference (z + w*)/2, take (z − w*)/2i, with w mirrored.
    const product = new Array<number>(2 * size).fill(0);
    for (let k = 0; k < size; k++) {
      const m = k === 0 ? 0 : size - k;
      const ar = (z[2 * k] + z[2 * m]) / 2;
      const ai = (z[2 * k + 1] - z[2 * m + 1]) / 2;
      const br = (z[2 * k + 1] + z[2 * m + 1]) / 2;
      const bi = (z[2 * m] - z[2 * k]) / 2;
      product[2 * k] = ar * br + ai * bi;
      product[2 * k + 1] = ar * bi - ai * br;
    }
    const correlation = fft.createComplexArray();
    fft.inverseTransform(correlation, product);
    for (let n = 0; n < size; n++) sum[n] += correlation[2 * n];
  }
  const reach = min(round(mostOffsetSeconds * hopsASecond), max(reference.length, take.length) - 1);
  const at = (hops: number) =>
    sum[(hops + size) % size] * (1 - (farLess * abs(hops)) / (reach + 1));
  const near = round(placesApartSeconds * hopsASecond);
  const places: number[] = [];
  while (places.length < mostPlaces) {
    let best: number | null = null;
    for (let hops = -reach; hops <= reach; hops++) {
      if (at(hops) <= 0 || (best !== null && at(hops) <= at(best))) continue;
      if (places.every((place) => abs(hops - place) > near)) best = hops;
    }
    if (best === null) break;
    places.push(best);
  }
  return places.map((hops) => ({
    hops,
    likeness: energies > 0 ? max(0, sum[(hops + size) % size]) / energies : 0,
  }));
}

/** Some neighbouring bands together, a little blurred: two performances do not begin within a hop. */
function groupOf({ bands, length }: Flux, group: number): Float64Array {
  const each = bandCount / groups;
  const values = new Float64Array(length);
  let mean = 0;
  for (let n = 0; n < length; n++) {
    let value = 0;
    for (let band = group * each; band < (group + 1) * each; band++)
      value += bands[n * bandCount + band];
    values[n] = value;
    mean += value / length;
  }
  const blur = 2;
  const out = new Float64Array(length);
  for (let n = 0; n < length; n++) {
    let value = 0;
    for (let k = -blur; k <= blur; k++) value += (values[n + k] ?? 0) * (1 - abs(k) / (blur + 1));
    out[n] = value - mean * (blur + 1);
  }
  return out;
}

function energyOf(values: Float64Array): number {
  return values.reduce((sum, value) => sum + value * value, 0);
}
