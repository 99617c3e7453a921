import { besselI0 } from '../signal/sinc.ts';
import { openRoom, transforms } from '../signal/transforms.ts';

const { ceil, floor, max, min, PI, sin, sqrt } = Math;

/** Stop band of some 90 dB (Kaiser 1974). */
const beta = 0.1102 * (90 - 8.7);
/** Taps of the sharp step for each frame that is left out, on either side. */
const arms = 5;
/** What the sharp step leaves out; the blunt one before it leaves out the rest. */
const sharpFactor = 4;

/** So many frames are read at once; where they lie, and what comes out. */
const readFrames = 8192;
const read = openRoom(readFrames / 2);
const made = openRoom(readFrames / 4);

/** A linear-phase low-pass at half the lower rate: flat to a fifth of it, and what folds back lies above that. */
const sharp = (() => {
  const half = arms * sharpFactor;
  // One more that is nothing: two are read at once.
  const taps = new Float64Array(2 * half + 2);
  for (let n = -half; n <= half; n++) {
    const x = (PI * n) / sharpFactor;
    const window = besselI0(beta * sqrt(1 - (n / (half + 1)) ** 2)) / besselI0(beta);
    taps[n + half] = (n === 0 ? 1 : sin(x) / x) * window;
  }
  return normalised(taps);
})();

/** What a signal has from a place on, into what the loops read. */
function fill(samples: Float32Array, from: number): void {
  const { singles } = read;
  const before = max(0, -from);
  singles.fill(0, 0, before);
  const there = samples.subarray(from + before, max(0, from + readFrames));
  singles.set(there, before);
  singles.fill(0, before + there.length);
}

function normalised(taps: Float64Array): Float64Array {
  const sum = taps.reduce((whole, tap) => whole + tap, 0);
  return taps.map((tap) => tap / sum);
}

/**
 * Three running means of so many frames, one after the other: under a twentieth of the lower rate they take less than 0.11 dB, and what folds back there is
 * 77 dB down (Hogenauer 1981).
 * @param factor even
 */
function blunt(factor: number): Float64Array {
  let taps = [1];
  for (let times = 0; times < 3; times++)
    taps = Array.from({ length: taps.length + factor - 1 }, (_, n) =>
      taps.slice(max(0, n - factor + 1), n + 1).reduce((sum, tap) => sum + tap, 0),
    );
  return normalised(Float64Array.from(taps));
}

/**
 * One frame in `step`, filtered. What lies beyond both ends is silence; the tails there are kept, since their energy belongs to the whole.
 * @param taps an even number of them
 * @param before how many frames before the first one the first tap of the first value lies
 */
function thinned(
  samples: Float32Array,
  taps: Float64Array,
  step: number,
  before: number,
): Float32Array {
  const out = new Float32Array(ceil((samples.length + before) / step));
  const most = floor((readFrames - taps.length) / step);
  const weights = openRoom(taps.length);
  weights.values.set(taps);
  for (let from = 0; from < out.length; from += most) {
    fill(samples, from * step - before);
    const count = min(most, out.length - from);
    transforms.thin(weights.at, taps.length, read.at, step, count, made.at);
    out.set(made.singles.subarray(0, count), from);
  }
  weights.close();
  return out;
}

/** Before the first frame, so that whole lower frames lie there. */
const sharpBefore = sharpFactor * ceil((arms * sharpFactor + 1) / sharpFactor) + arms * sharpFactor;

/**
 * The low end of a signal at a lower rate: what lies under a fifth of that is as it was (to 0.11 dB).
 * @param factor a power of two, 4 at least
 */
export function lowered(samples: Float32Array, factor: number): Float32Array {
  const first = factor / sharpFactor;
  const signal = first > 1 ? thinned(samples, blunt(first), first, 2 * first - 2) : samples;
  return thinned(signal, sharp, sharpFactor, sharpBefore);
}
