import { addressOf, loops, memory, takeRoom } from './loops.ts';
import { besselI0 } from './sinc.ts';

const { PI, min, sin, sqrt } = Math;

/** A half-band filter: every second tap but the middle one is 0, only the others are kept; they are the same both ways. */
export interface HalfBandTaps {
  /** Taps on each side of the middle that are not 0. */
  readonly arms: number;
  /** Where one side of them lies in the loops' memory, from the end to the middle. */
  readonly side: number;
}

/** @param stopDb of stop band, by a Kaiser window (Kaiser 1974) */
function halfBandTaps(arms: number, stopDb: number): HalfBandTaps {
  const beta = 0.1102 * (stopDb - 8.7);
  const middle = 2 * arms - 1;
  const side = new Float64Array(arms);
  let sum = 0;
  for (let k = 0; k < arms; k++) {
    const distance = 2 * k - middle;
    const window = besselI0(beta * sqrt(1 - (distance / (middle + 1)) ** 2)) / besselI0(beta);
    side[k] = (sin((PI * distance) / 2) / (PI * distance)) * window;
    sum += 2 * side[k];
  }
  const place = takeRoom(arms);
  for (let k = 0; k < arms; k++) memory[place + k] = (side[k] * 0.5) / sum;
  return { arms, side: place };
}

/** Flat to 0.45 of the lower rate: where both rates are those that are heard. */
export const steep = halfBandTaps(48, 100);
/** As flat, with less of a stop band: where what is left of images is bent, and lies far under what that makes of its own. */
export const brisk = halfBandTaps(38, 72);
/** Flat to 0.28 of it: where nothing that is kept lies higher. */
export const gentle = halfBandTaps(6, 72);

/** So many frames of the lower rate at once: what is made of them on the way stays at hand. */
export const stretchFrames = 4096;
const mostArms = steep.arms;

/** Room in the loops' memory for so many values, and before them for what any filter has to know of those before. */
export function roomToFilter(values: number): number {
  return takeRoom(values + 4 * mostArms) + 4 * mostArms;
}

const slow = roomToFilter(stretchFrames);
const twiceAsFast = roomToFilter(2 * stretchFrames);
/** For what a filter works out on the way, of the fastest. */
const onTheWay = takeRoom(2 * stretchFrames + 2 * mostArms);

/** Doubles or halves the rate by a linear-phase half-band filter. One object for one direction. */
export class HalfBand {
  readonly #taps: HalfBandTaps;
  /** The last of what was filtered before; made with the first. */
  #before: Float64Array | null = null;
  #twice = new Float64Array(0);

  constructor(taps: HalfBandTaps = steep) {
    this.#taps = taps;
  }

  /** Up and down again, in frames of the lower rate; half of it is one way. */
  static latencyOf({ arms }: HalfBandTaps): number {
    return 2 * arms - 1;
  }

  static readonly latencyFrames = HalfBand.latencyOf(steep);

  /** Puts what was before in front of what lies at a place of the memory, and keeps the end of that for the next time. */
  #extend(from: number, count: number, kept: number): void {
    this.#before ??= new Float64Array(kept);
    memory.set(this.#before, from - kept);
    this.#before.set(memory.subarray(from + count - kept, from + count));
  }

  /**
   * Twice as many values, `latencyOf` of the higher rate late.
   * @param from place in the loops' memory, got by `roomToFilter`
   * @param into place of twice as many
   */
  upsampleAt(from: number, count: number, into: number): void {
    const { arms, side } = this.#taps;
    this.#extend(from, count, 2 * arms);
    loops.upsample(addressOf(side), arms, addressOf(from), count, addressOf(into));
  }

  /**
   * Half as many values, `latencyOf` of the higher rate late.
   * @param from place in the loops' memory, got by `roomToFilter`
   * @param count of those that come out, at most twice `stretchFrames`
   */
  downsampleAt(from: number, count: number, into: number): void {
    const { arms, side } = this.#taps;
    this.#extend(from, 2 * count, 4 * arms - 1);
    const [twice, outer, out] = [addressOf(from), addressOf(onTheWay), addressOf(into)];
    loops.downsample(addressOf(side), arms, twice, count, outer, out);
  }

  /** Twice as many values, `latencyOf` of the higher rate late; they stand until the next call. */
  upsample(samples: Float64Array): Float64Array {
    if (this.#twice.length !== 2 * samples.length)
      this.#twice = new Float64Array(2 * samples.length);
    for (let at = 0; at < samples.length; at += stretchFrames) {
      const stretch = samples.subarray(at, at + stretchFrames);
      memory.set(stretch, slow);
      this.upsampleAt(slow, stretch.length, twiceAsFast);
      this.#twice.set(memory.subarray(twiceAsFast, twiceAsFast + 2 * stretch.length), 2 * at);
    }
    return this.#twice;
  }

  /** Half as many values, `latencyOf` of the higher rate late. */
  downsample(twice: Float64Array, samples: Float64Array): void {
    for (let at = 0; at < samples.length; at += stretchFrames) {
      const count = min(stretchFrames, samples.length - at);
      memory.set(twice.subarray(2 * at, 2 * (at + count)), twiceAsFast);
      this.downsampleAt(twiceAsFast, count, slow);
      samples.set(memory.subarray(slow, slow + count), at);
    }
  }
}
