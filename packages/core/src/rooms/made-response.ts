import { fftOf } from '../signal/spectrum.ts';
import { framesReader, type BlockLoader } from '../sources/blocks.ts';
import { partSizes, type PartSpectra, type ResponseNeed, type RoomResponse } from './response.ts';

const { abs, ceil, exp, log, max, min, sqrt } = Math;

/** Where the parts of a size begin: what they make is worked out while the next part comes in, so two of them late. */
const beginOf = (n: number) => (n === 0 ? 0 : 2 * partSizes[n]);
const endOf = (n: number) => (n + 1 < partSizes.length ? beginOf(n + 1) : Infinity);

export async function prepareResponse(
  { key, channels, decayPercent }: ResponseNeed,
  rateHz: number,
  load: BlockLoader,
): Promise<RoomResponse> {
  const sides = await Promise.all(
    channels.map((source) => framesReader(source, load)(0, source.frames)),
  );
  return roomResponse(key, sides, rateHz, decayPercent);
}

/**
 * A recorded response, made ready: what is silent before and after it is cut off, its decay made shorter where that is asked for, and all of it as loud as nothing
 * (energy 1, of two sides on average), which is about as loud as a room of ours.
 * @param sides as recorded, one or two, at the song's rate
 * @param decayPercent of its own decay
 */
export function roomResponse(
  key: string,
  sides: readonly Float32Array[],
  rateHz: number,
  decayPercent = 100,
): RoomResponse {
  const cut = withoutSilence(sides.map(finite));
  const own = decayOf(cut, rateHz);
  const shaped = own === null ? cut : faster(cut, own, decayPercent, rateHz);
  const energy = shaped.reduce((sum, side) => sum + energyOf(side), 0) / shaped.length;
  const level = energy > 0 ? 1 / sqrt(energy) : 0;
  const samples = shaped.map((side) => side.map((value) => value * level));
  return {
    key,
    frames: shaped[0].length,
    decayS: own === null ? null : (own * decayPercent) / 100,
    levels: partSizes.map((size, n) => {
      const [left, right = left] = samples.map((side) =>
        spectraOf(side.subarray(beginOf(n), endOf(n)), size),
      );
      return [left, right] as const;
    }),
  };
}

/** What is under this share of the highest value, before anything reaches it, is silence before the sound: −40 dB, common practice. */
const onsetShare = 0.01;
/** Behind this nothing of it is in any file: −160 dB. */
const endShare = 1e-8;

/** What is no number counts as silence: it would stay in the sound for ever. */
function finite(side: Float32Array): Float32Array {
  return side.every(Number.isFinite)
    ? side
    : side.map((value) => (Number.isFinite(value) ? value : 0));
}

function withoutSilence(sides: readonly Float32Array[]): Float64Array[] {
  let peak = 0;
  for (const side of sides) for (const value of side) peak = max(peak, abs(value));
  const over = (share: number) => (n: number) => sides.some((side) => abs(side[n]) > share * peak);
  const { length } = sides[0];
  let first = 0;
  let end = length;
  const begins = over(onsetShare);
  const sounds = over(endShare);
  while (first < length - 1 && !begins(first)) first++;
  while (end > first + 1 && !sounds(end - 1)) end--;
  return sides.map((side) => Float64Array.from(side.subarray(first, end)));
}

function energyOf(samples: Float64Array): number {
  let sum = 0;
  for (const value of samples) sum += value * value;
  return sum;
}

/**
 * How long it takes to fall by 60 dB, in s, by backward integration (Schroeder 1965) of all sides between −5 and −25 dB: T20 of ISO 3382-1.
 * @returns null where it does not fall so far over two frames or more
 */
function decayOf(sides: readonly Float64Array[], rateHz: number): number | null {
  const left = new Float64Array(sides[0].length + 1);
  for (let n = sides[0].length - 1; n >= 0; n--) {
    left[n] = left[n + 1];
    for (const side of sides) left[n] += side[n] * side[n];
  }
  const under = (db: number) => left.findIndex((value) => value <= left[0] * 10 ** (db / 10));
  const frames = under(-25) - under(-5);
  return left[0] > 0 && frames > 1 ? (3 * frames) / rateHz : null;
}

/** The same, falling in a share of its time. */
function faster(
  sides: readonly Float64Array[],
  decayS: number,
  percent: number,
  rateHz: number,
): readonly Float64Array[] {
  if (percent === 100) return sides;
  const each = (log(1000) * (100 / percent - 1)) / (decayS * rateHz);
  // Behind −140 dB of its own making nothing is left.
  const end = min(sides[0].length, ceil(log(1e7) / each));
  return sides.map((side) => side.slice(0, end).map((value, n) => value * exp(-each * n)));
}

function spectraOf(samples: Float64Array, part: number): PartSpectra {
  const size = 2 * part;
  const bins = part + 1;
  const parts = ceil(samples.length / part);
  const re = new Float32Array(parts * bins);
  const im = new Float32Array(parts * bins);
  const fft = fftOf(size);
  const padded = new Array<number>(size).fill(0);
  const spectrum = fft.createComplexArray();
  for (let p = 0; p < parts; p++) {
    for (let n = 0; n < part; n++) padded[n] = samples[p * part + n] ?? 0;
    fft.realTransform(spectrum, padded);
    for (let k = 0; k < bins; k++) {
      re[p * bins + k] = spectrum[2 * k];
      im[p * bins + k] = spectrum[2 * k + 1];
    }
  }
  return { parts, re, im };
}
