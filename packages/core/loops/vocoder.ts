import { twoOf } from './pairs';
import { movingPhases, movingTaps } from './reading';
import { floorOf, nearest } from './rounding';

/** One value of a window's, as a single, as the signals of a transform are. */
function windowed(one: usize, other: usize, weight: v128): v128 {
  return f64x2.promote_low_f32x4(f32x4.demote_f64x2_zero(f64x2.mul(twoOf(one, other), weight)));
}

/**
 * Four windows of a signal, side by side as the values of two complex ones: see `widen` of transforms.ts.
 * @param first where the first one begins among the singles, and so on
 * @param window `size` weights
 */
export function windowFour(
  first: usize,
  second: usize,
  third: usize,
  fourth: usize,
  window: usize,
  x: usize,
  size: i32,
): void {
  const end = window + (usize(size) << 3);
  for (; window < end; window += 8) {
    const weight = v128.load_splat<f64>(window);
    v128.store(x, windowed(first, second, weight));
    v128.store(x, windowed(third, fourth, weight), 16);
    first += 4;
    second += 4;
    third += 4;
    fourth += 4;
    x += 32;
  }
}

/**
 * The power of each bin, and around which ones the others lie: a peak is higher than two on either side, and its own reach to the lowest bin before the next.
 * @param spectrum bins 0 to `last`, real and imaginary
 * @param last even
 * @param power `last` + 2 values: written
 * @param peaks of each its bin and the one after its last, as whole numbers of 32 bits: written; there is room for one more than there are
 * @returns how many there are
 */
export function findPeaks(spectrum: usize, power: usize, last: i32, peaks: usize): i32 {
  for (let bin: i32 = 0; bin <= last; bin += 2) {
    const one = v128.load(spectrum);
    // Behind the last bin lies nothing.
    const other = bin < last ? v128.load(spectrum, 16) : f64x2.splat(0);
    const re = v128.shuffle<f64>(one, other, 0, 2);
    const im = v128.shuffle<f64>(one, other, 1, 3);
    v128.store(power + (usize(bin) << 3), f64x2.add(f64x2.mul(re, re), f64x2.mul(im, im)));
    spectrum += 32;
  }
  // Nothing below hangs on what a value is but by being added or chosen: where noise sounds, every other guess of a branch would be wrong.
  let next = peaks;
  for (let bin: i32 = 2; bin <= last - 2; bin += 2) {
    const at = power + (usize(bin) << 3);
    const here = v128.load(at);
    const highest = i64x2.bitmask(
      v128.and(
        v128.and(f64x2.gt(here, v128.load(at - 8)), f64x2.ge(here, v128.load(at, 8))),
        v128.and(f64x2.gt(here, v128.load(at - 16)), f64x2.ge(here, v128.load(at, 16))),
      ),
    );
    store<i32>(next, bin);
    next += usize(highest & 1) << 3;
    store<i32>(next, bin + 1);
    // The second of the last two lies too near to the end.
    const second = bin < last - 2 ? highest >> 1 : 0;
    next += usize(second) << 3;
  }
  let count = i32(next - peaks) >> 3;
  if (count === 0) {
    store<i32>(peaks, last);
    count = 1;
  }
  for (let n: i32 = 0; n < count - 1; n++) {
    const peak = load<i32>(peaks);
    store<i32>(peaks, lowestBetween(power, peak, load<i32>(peaks, 8)) + 1, 4);
    peaks += 8;
  }
  store<i32>(peaks, last + 1, 4);
  return count;
}

function lowestBetween(power: usize, peak: i32, next: i32): i32 {
  let lowest = peak + 1;
  let least = load<f64>(power + (usize(lowest) << 3));
  for (let bin = peak + 2; bin < next; bin++) {
    const here = load<f64>(power + (usize(bin) << 3));
    const lower = here < least;
    least = select<f64>(here, least, lower);
    lowest = select<i32>(bin, lowest, lower);
  }
  return lowest;
}

/** A partial that grows by more than this within a hop begins anew, at the phase that it has in the signal. */
const onsetPower: f64 = 100;

/**
 * By which angle the bins of each peak are turned: as far as they were a hop ago.
 * @param earlier the spectrum a hop ago, and `before` what it was turned to
 * @param turns cos and sin of each peak: written
 */
export function findTurns(
  peaks: usize,
  count: i32,
  earlier: usize,
  before: usize,
  power: usize,
  last: i32,
  turns: usize,
): void {
  for (let n: i32 = 0; n < count; n++) {
    const peak = load<i32>(peaks + (usize(n) << 3));
    let re: f64 = 0;
    let im: f64 = 0;
    let weight: f64 = 0;
    const end = peak + 1 <= last ? peak + 1 : last;
    for (let bin = peak > 0 ? peak - 1 : 0; bin <= end; bin++) {
      const was = earlier + (usize(bin) << 4);
      const turned = before + (usize(bin) << 4);
      const wasRe = load<f64>(was);
      const wasIm = load<f64>(was, 8);
      const turnedRe = load<f64>(turned);
      const turnedIm = load<f64>(turned, 8);
      re += turnedRe * wasRe + turnedIm * wasIm;
      im += turnedIm * wasRe - turnedRe * wasIm;
      weight += wasRe * wasRe + wasIm * wasIm;
    }
    const size = sqrt<f64>(re * re + im * im);
    const at = turns + (usize(n) << 4);
    const fresh = !(size > 0) || weight * onsetPower < load<f64>(power + (usize(peak) << 3));
    store<f64>(at, fresh ? 1 : re / size);
    store<f64>(at, fresh ? 0 : im / size, 8);
  }
}

/** Turns the bins of each peak by its angle. */
export function turn(peaks: usize, count: i32, turns: usize, spectrum: usize, out: usize): void {
  let at: usize = 0;
  for (let n: i32 = 0; n < count; n++) {
    const end: usize = usize(load<i32>(peaks, 4)) << 4;
    const cos = v128.load_splat<f64>(turns);
    const sin = load<f64>(turns, 8);
    const across = f64x2(-sin, sin);
    for (; at < end; at += 16) {
      const value = v128.load(spectrum + at);
      const swapped = v128.shuffle<f64>(value, value, 1, 0);
      const turned = f64x2.add(f64x2.mul(value, cos), f64x2.mul(swapped, across));
      v128.store(out + at, turned);
    }
    peaks += 8;
    turns += 16;
  }
}

/** sound[n] gains what one of the four signals of a transform has there (see `narrow` of transforms.ts), as a single, times a window's weight. */
export function addSignal(x: usize, signal: i32, window: usize, sound: usize, size: i32): void {
  x += usize(signal) << 3;
  for (let n: i32 = 0; n < size; n++) {
    const value = f64(f32(load<f64>(x)));
    store<f64>(sound, load<f64>(sound) + value * load<f64>(window));
    x += 32;
    window += 8;
    sound += 8;
  }
}

/** One value between others: the even and the odd taps each in a sum of their own. */
function between(table: usize, values: usize, place: f64): f32 {
  const whole = floorOf(place);
  const row = nearest(floorOf((place - whole) * movingPhases + 0.5));
  const weights = table + ((usize(row) * movingTaps) << 3);
  const x = values + ((usize(nearest(whole)) - movingTaps / 2 + 1) << 3);
  let sum = f64x2.mul(v128.load(weights), v128.load(x));
  sum = f64x2.add(sum, f64x2.mul(v128.load(weights, 16), v128.load(x, 16)));
  sum = f64x2.add(sum, f64x2.mul(v128.load(weights, 32), v128.load(x, 32)));
  sum = f64x2.add(sum, f64x2.mul(v128.load(weights, 48), v128.load(x, 48)));
  sum = f64x2.add(sum, f64x2.mul(v128.load(weights, 64), v128.load(x, 64)));
  sum = f64x2.add(sum, f64x2.mul(v128.load(weights, 80), v128.load(x, 80)));
  sum = f64x2.add(sum, f64x2.mul(v128.load(weights, 96), v128.load(x, 96)));
  sum = f64x2.add(sum, f64x2.mul(v128.load(weights, 112), v128.load(x, 112)));
  return f32(f64x2.extract_lane(sum, 0) + f64x2.extract_lane(sum, 1));
}

/**
 * Reads between values along a line: the frames `from` up to `to`, at origin + ratio · n.
 * @param values where value 0 would lie; only those that are read need be there
 * @param out as singles, frame `from` first
 */
export function readAlong(
  table: usize,
  values: usize,
  origin: f64,
  ratio: f64,
  from: i32,
  to: i32,
  out: usize,
): void {
  for (let n = from; n < to; n++) {
    store<f32>(out, between(table, values, origin + ratio * f64(n)));
    out += 4;
  }
}
