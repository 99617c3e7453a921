import { besselI0 } from './sinc.ts';

const { PI, sin, sqrt } = Math;

/** A half-band filter: every second tap but the middle one is 0, only the others are kept; they are the same both ways. */
export interface HalfBandTaps {
  /** Taps on each side of the middle that are not 0. */
  readonly arms: number;
  /** One side of them, from the end to the middle. */
  readonly side: Float64Array;
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
  for (let k = 0; k < arms; k++) side[k] *= 0.5 / sum;
  return { arms, side };
}

/** Flat to 0.45 of the lower rate: where both rates are those that are heard. */
export const steep = halfBandTaps(48, 100);
/** As flat, with less of a stop band: where what is left of images is bent, and lies far under what that makes of its own. */
export const brisk = halfBandTaps(38, 72);
/** Flat to 0.28 of it: where nothing that is kept lies higher. */
export const gentle = halfBandTaps(6, 72);

/**
 * The outer taps over a signal: `into[stride · n]` = scale · Σ side[k] · (x[n + k] + x[n + 2 · arms − 1 − k]). Four values are worked out together:
 * what one of them has read the next one needs, so that it stays at hand.
 */
function outerTaps(
  { arms, side }: HalfBandTaps,
  x: Float64Array,
  into: Float64Array,
  stride: number,
  count: number,
  scale: number,
): void {
  const last = 2 * arms - 1;
  let n = 0;
  for (; n + 4 <= count; n += 4) {
    const end = n + last;
    let x0 = x[n];
    let x1 = x[n + 1];
    let x2 = x[n + 2];
    let y1 = x[end + 1];
    let y2 = x[end + 2];
    let y3 = x[end + 3];
    let a = 0;
    let b = 0;
    let c = 0;
    let d = 0;
    for (let k = 0; k < arms; k++) {
      const tap = side[k];
      const x3 = x[n + k + 3];
      const y0 = x[end - k];
      a += tap * (y0 + x0);
      b += tap * (y1 + x1);
      c += tap * (y2 + x2);
      d += tap * (y3 + x3);
      x0 = x1;
      x1 = x2;
      x2 = x3;
      y3 = y2;
      y2 = y1;
      y1 = y0;
    }
    const at = stride * n;
    into[at] = scale * a;
    into[at + stride] = scale * b;
    into[at + 2 * stride] = scale * c;
    into[at + 3 * stride] = scale * d;
  }
  for (; n < count; n++) {
    let sum = 0;
    for (let k = 0; k < arms; k++) sum += side[k] * (x[n + last - k] + x[n + k]);
    into[stride * n] = scale * sum;
  }
}

/** Doubles or halves the rate by a linear-phase half-band filter. One object for one direction. */
export class HalfBand {
  readonly #taps: HalfBandTaps;
  /** What is filtered, behind the last of what was before. Made anew only where more comes at once than before. */
  #x = new Float64Array(0);
  #outer = new Float64Array(0);
  #twice = new Float64Array(0);

  constructor(taps: HalfBandTaps = steep) {
    this.#taps = taps;
  }

  /** Up and down again, in frames of the lower rate; half of it is one way. */
  static latencyOf({ arms }: HalfBandTaps): number {
    return 2 * arms - 1;
  }

  static readonly latencyFrames = HalfBand.latencyOf(steep);

  #extended(samples: Float64Array, kept: number): Float64Array {
    this.#x = atLeast(this.#x, kept + samples.length, kept);
    this.#x.set(samples, kept);
    return this.#x;
  }

  /** What is needed of it next time. */
  #keep(count: number, kept: number): void {
    this.#x.copyWithin(0, count, count + kept);
  }

  /** Twice as many values, `latencyOf` of the higher rate late; they stand until the next call. */
  upsample(samples: Float64Array): Float64Array {
    const { arms } = this.#taps;
    const count = samples.length;
    const x = this.#extended(samples, 2 * arms);
    this.#twice = atLeast(this.#twice, 2 * count);
    const twice = this.#twice;
    // Of the zero-stuffed signal every output meets either the outer taps or the middle one.
    outerTaps(this.#taps, x.subarray(1), twice, 2, count, 2);
    for (let n = 0; n < count; n++) twice[2 * n + 1] = x[n + arms + 1];
    this.#keep(count, 2 * arms);
    return twice.length === 2 * count ? twice : twice.subarray(0, 2 * count);
  }

  /** Half as many values, `latencyOf` of the higher rate late. */
  downsample(twice: Float64Array, samples: Float64Array): void {
    const { arms } = this.#taps;
    const count = samples.length;
    const x = this.#extended(twice, 4 * arms - 1);
    // The outer taps see every second value, the middle one the others.
    const needed = count + 2 * arms - 1;
    this.#outer = atLeast(this.#outer, needed);
    const outer = this.#outer;
    for (let n = 0; n < needed; n++) outer[n] = x[2 * n + 1];
    outerTaps(this.#taps, outer, samples, 1, count, 1);
    for (let n = 0; n < count; n++) samples[n] += 0.5 * x[2 * (n + arms)];
    this.#keep(twice.length, 4 * arms - 1);
  }
}

/** The same memory, or more of it. @param kept so many of its values are taken along */
function atLeast(
  memory: Float64Array<ArrayBuffer>,
  count: number,
  kept = 0,
): Float64Array<ArrayBuffer> {
  if (memory.length >= count) return memory;
  const more = new Float64Array(count);
  more.set(memory.subarray(0, kept));
  return more;
}
