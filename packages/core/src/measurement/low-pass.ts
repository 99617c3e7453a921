import { besselI0 } from '../signal/sinc.ts';
import { openRoom, transforms } from '../signal/transforms.ts';

const { ceil, floor, max, min, PI, sin, sqrt } = Math;

/** Stop band of some 90 dB (Kaiser 1974). */
const beta = 0.1102 * (90 - 8.7);
/** Taps of the sharp step for each frame that is left out, on either side. */
const arms = 5;
/** What the sharp step leaves out; the blunt one before it leaves out the rest. */
const sharpFactor = 4;

/** So many values come out at once; what they are read from, and where they lie. */
const stretchFrames = 4096;
const readFrames = 2 * stretchFrames + 2;
const read = openRoom(readFrames / 2);
const made = openRoom(stretchFrames / 2);
const weights = openRoom(2 * arms * sharpFactor + 2);

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

/**
 * Three running means of two frames, one after the other, and every other frame of them. So often that one frame in `factor` is left
 * it is three running means of `factor` frames: under a twentieth of the lower rate they take less than 0.11 dB, and what folds
 * back there is 77 dB down (Hogenauer 1981). The tails beyond both ends are kept, since their energy belongs to the whole.
 */
function halved(samples: Float32Array): Float32Array {
  const out = new Float32Array((samples.length >> 1) + 2);
  for (let from = 0; from < out.length; from += stretchFrames) {
    // What lies beyond both ends is silence.
    fill(samples, 2 * from - 2);
    const count = min(stretchFrames, out.length - from);
    transforms.halve(read.at + 8, count, made.at);
    out.set(made.singles.subarray(0, count), from);
  }
  return out;
}

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

/** One frame in `sharpFactor`, filtered; the tails are kept here too. */
function thinned(samples: Float32Array): Float32Array {
  const middle = arms * sharpFactor;
  const lead = ceil((middle + 1) / sharpFactor);
  const out = new Float32Array(ceil(samples.length / sharpFactor) + 2 * lead);
  const most = floor((readFrames - sharp.length) / sharpFactor);
  weights.values.set(sharp);
  for (let from = 0; from < out.length; from += most) {
    fill(samples, (from - lead) * sharpFactor - middle);
    const count = min(most, out.length - from);
    transforms.thin(weights.at, sharp.length, read.at, sharpFactor, count, made.at);
    out.set(made.singles.subarray(0, count), from);
  }
  return out;
}

/**
 * The low end of a signal at a lower rate: what lies under a fifth of that is as it was (to 0.11 dB).
 * @param factor a power of two, 4 at least
 */
export function lowered(samples: Float32Array, factor: number): Float32Array {
  let signal = samples;
  for (let left = factor; left > sharpFactor; left /= 2) signal = halved(signal);
  return thinned(signal);
}
