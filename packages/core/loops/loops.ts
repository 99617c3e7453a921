/**
 * The loops in which drives and reading between values spend their time, in AssemblyScript: compiled to WebAssembly they work on two values at once. Each
 * value is summed in the order in which a plain loop would sum it, so that the bits are those of one.
 *
 * All addresses are of 64-bit values, in bytes. Nothing here keeps anything: what has to be known from one call to the next lies where the caller says.
 */

declare function atan(x: f64): f64;
declare function log(x: f64): f64;

/** `into[stride · n]` = scale · Σ side[k] · (x[n + k] + x[n + 2 · arms − 1 − k]), eight of them together: what they read and the taps stay at hand. */
function outerTaps(
  side: usize,
  arms: i32,
  x: usize,
  into: usize,
  stride: i32,
  count: i32,
  scale: f64,
): void {
  const last: i32 = 2 * arms - 1;
  const step: usize = usize(stride) << 3;
  let n: i32 = 0;
  for (; n + 8 <= count; n += 8) {
    let a = f64x2.splat(0);
    let b = f64x2.splat(0);
    let c = f64x2.splat(0);
    let d = f64x2.splat(0);
    let first: usize = x + (usize(n) << 3);
    let end: usize = x + (usize(n + last) << 3);
    let tap: usize = side;
    for (let k: i32 = 0; k < arms; k++) {
      const t = v128.load_splat<f64>(tap);
      a = f64x2.add(a, f64x2.mul(t, f64x2.add(v128.load(end), v128.load(first))));
      b = f64x2.add(b, f64x2.mul(t, f64x2.add(v128.load(end, 16), v128.load(first, 16))));
      c = f64x2.add(c, f64x2.mul(t, f64x2.add(v128.load(end, 32), v128.load(first, 32))));
      d = f64x2.add(d, f64x2.mul(t, f64x2.add(v128.load(end, 48), v128.load(first, 48))));
      first += 8;
      end -= 8;
      tap += 8;
    }
    const s = f64x2.splat(scale);
    let at: usize = into + usize(n) * step;
    at = storePair(at, step, f64x2.mul(s, a));
    at = storePair(at, step, f64x2.mul(s, b));
    at = storePair(at, step, f64x2.mul(s, c));
    storePair(at, step, f64x2.mul(s, d));
  }
  for (; n < count; n++) {
    let sum: f64 = 0;
    let first: usize = x + (usize(n) << 3);
    let end: usize = x + (usize(n + last) << 3);
    let tap: usize = side;
    for (let k: i32 = 0; k < arms; k++) {
      sum += load<f64>(tap) * (load<f64>(end) + load<f64>(first));
      first += 8;
      end -= 8;
      tap += 8;
    }
    store<f64>(into + usize(n) * step, scale * sum);
  }
}

function storePair(at: usize, step: usize, pair: v128): usize {
  store<f64>(at, f64x2.extract_lane(pair, 0));
  store<f64>(at + step, f64x2.extract_lane(pair, 1));
  return at + 2 * step;
}

/**
 * Twice as many values by a half-band filter.
 * @param x before it lie 2 · arms values of what came before
 */
export function upsample(side: usize, arms: i32, x: usize, count: i32, twice: usize): void {
  const begin: usize = x - (usize(2 * arms) << 3);
  // Of the zero-stuffed signal every output meets either the outer taps or the middle one.
  outerTaps(side, arms, begin + 8, twice, 2, count, 2);
  let from: usize = begin + (usize(arms + 1) << 3);
  let to: usize = twice + 8;
  for (let n: i32 = 0; n < count; n++) {
    store<f64>(to, load<f64>(from));
    from += 8;
    to += 16;
  }
}

/**
 * Half as many values by a half-band filter.
 * @param count of those that come out
 * @param twice before it lie 4 · arms − 1 values of what came before
 * @param outer room for count + 2 · arms − 1 values on the way
 */
export function downsample(
  side: usize,
  arms: i32,
  twice: usize,
  count: i32,
  outer: usize,
  into: usize,
): void {
  const begin: usize = twice - (usize(4 * arms - 1) << 3);
  // The outer taps see every second value, the middle one the others.
  const needed: i32 = count + 2 * arms - 1;
  let from: usize = begin + 8;
  let to: usize = outer;
  for (let n: i32 = 0; n < needed; n++) {
    store<f64>(to, load<f64>(from));
    from += 16;
    to += 8;
  }
  outerTaps(side, arms, outer, into, 1, count, 1);
  from = begin + (usize(2 * arms) << 3);
  to = into;
  for (let n: i32 = 0; n < count; n++) {
    store<f64>(to, load<f64>(to) + 0.5 * load<f64>(from));
    from += 16;
    to += 8;
  }
}

/** ∫ atan is read from a table: fine steps up to 16, coarse ones up to 256, where it is all but straight. Beside each value stands its slope. */
const fineSteps: f64 = 64;
const fineEnd: f64 = 16;
const coarseSteps: f64 = 4;
const coarseEnd: f64 = 256;
/** The coarse ones lie behind the fine ones, which have one more than there are steps. */
const coarseFrom: usize = (1024 + 1) << 4;

/** ∫ atan from 0 to u. */
function arcArea(table: usize, u: f64): f64 {
  const size = u < 0 ? -u : u;
  if (size < fineEnd) return readArea(table, size * fineSteps);
  if (size < coarseEnd) return readArea(table + coarseFrom, (size - fineEnd) * coarseSteps);
  return u * atan(u) - 0.5 * log(1 + u * u);
}

/** Where its last bit is worth 1, a double holds a whole number in its lower bits. */
const wholeBits: f64 = 6755399441055744;

/** The nearest whole number of what is no larger than an i32. A conversion would look for what it cannot hold, in twice the time of the loops that ask. */
function nearest(value: f64): i32 {
  return i32(reinterpret<i64>(value + wholeBits));
}

/** The largest whole number that is not above; that of the processor would have each wait for the one before. */
function floorOf(value: f64): f64 {
  const rounded = value + wholeBits - wholeBits;
  const above = f64x2.gt(f64x2.splat(rounded), f64x2.splat(value));
  return rounded - f64x2.extract_lane(v128.and(above, f64x2.splat(1)), 0);
}

/** A cubic through two values and their slopes. */
function readArea(table: usize, place: f64): f64 {
  const whole = floorOf(place);
  const n = nearest(whole);
  const t = place - whole;
  const at: usize = table + (usize(n) << 4);
  const area = load<f64>(at);
  const slope = load<f64>(at, 8);
  const rise = load<f64>(at, 16) - area;
  const begin = slope - rise;
  const end = load<f64>(at, 24) - rise;
  return area + t * (slope + t * (-2 * begin - end + t * (begin + end)));
}

/** Nearer to each other than this, two values differ too little to divide by: what is between them is taken for straight, to 1e-10. */
const near: f64 = 1e-5;

/**
 * Each value's mean of (2/π) · atan(into · x + shift) − rest from the value before it, in place.
 * @param last the last value on its way into the curve, and behind it the area under that to there: read and written
 */
export function meanOfArc(
  table: usize,
  into: f64,
  shift: f64,
  rest: f64,
  last: usize,
  x: usize,
  count: i32,
): void {
  let u = load<f64>(last);
  let area = load<f64>(last, 8);
  const scale = 2 / Math.PI;
  for (let n: i32 = 0; n < count; n++) {
    const next = into * load<f64>(x) + shift;
    const apart = next - u;
    const nextArea = arcArea(table, next);
    const mean = apart > near || apart < -near ? (nextArea - area) / apart : atan(0.5 * (next + u));
    store<f64>(x, scale * mean - rest);
    x += 8;
    u = next;
    area = nextArea;
  }
  store<f64>(last, u);
  store<f64>(last, area, 8);
}

/** ∫ of what is cut off at ±1, from 0 to u. */
function cutArea(u: f64): f64 {
  return u > 1 ? u - 0.5 : u < -1 ? -u - 0.5 : 0.5 * u * u;
}

/** The same of into · x cut off at ±1. */
export function meanOfCut(into: f64, last: usize, x: usize, count: i32): void {
  let u = load<f64>(last);
  let area = load<f64>(last, 8);
  for (let n: i32 = 0; n < count; n++) {
    const next = into * load<f64>(x);
    const apart = next - u;
    const nextArea = cutArea(next);
    let mean: f64;
    if (apart > near || apart < -near) mean = (nextArea - area) / apart;
    else {
      const middle = 0.5 * (next + u);
      mean = middle > 1 ? 1 : middle < -1 ? -1 : middle;
    }
    store<f64>(x, mean);
    x += 8;
    u = next;
    area = nextArea;
  }
  store<f64>(last, u);
  store<f64>(last, area, 8);
}

/**
 * Each value becomes scale · (the two before it), in place.
 * @param x before it lie the two
 */
export function twoBefore(scale: f64, x: usize, count: i32): void {
  let before = load<f64>(x - 16);
  let last = load<f64>(x - 8);
  for (let n: i32 = 0; n < count; n++) {
    const value = load<f64>(x);
    store<f64>(x, scale * (before + last));
    before = last;
    last = value;
    x += 8;
  }
}

/** So many singles as doubles, two at once: there is room for one more of both. */
function widen(singles: usize, doubles: usize, count: i32): void {
  for (let n: i32 = 0; n < count; n += 2) {
    v128.store(doubles, f64x2.promote_low_f32x4(v128.load64_zero(singles)));
    singles += 8;
    doubles += 16;
  }
}

/** Taps of what reads between values at any place, and phases of its table: see `signal/sinc.ts`. */
const movingTaps: usize = 16;
const movingPhases: f64 = 4096;

/**
 * Reads between values along a line: the frames `from` up to `to` of a quantum, at start + ratio · n − wander[n].
 * @param singles so many values, `count`
 * @param wide room for them as doubles
 * @param wander how far behind the line each frame is; 0 where none is
 * @param out of the quantum
 */
export function readLine(
  table: usize,
  singles: usize,
  count: i32,
  wide: usize,
  start: f64,
  ratio: f64,
  wander: usize,
  from: i32,
  to: i32,
  out: usize,
): void {
  widen(singles, wide, count);
  for (let n: i32 = from; n < to; n++) {
    let place = start + ratio * f64(n);
    if (wander !== 0) place -= load<f64>(wander + (usize(n) << 3));
    const whole = floorOf(place);
    const phase = nearest((place - whole) * movingPhases);
    const w: usize = table + ((usize(phase) * movingTaps) << 3);
    const x: usize = wide + (usize(nearest(whole)) << 3);
    // Four sums, every fourth tap in one of them, as two pairs.
    let ab = f64x2.mul(v128.load(w), v128.load(x));
    let cd = f64x2.mul(v128.load(w, 16), v128.load(x, 16));
    ab = f64x2.add(ab, f64x2.mul(v128.load(w, 32), v128.load(x, 32)));
    cd = f64x2.add(cd, f64x2.mul(v128.load(w, 48), v128.load(x, 48)));
    ab = f64x2.add(ab, f64x2.mul(v128.load(w, 64), v128.load(x, 64)));
    cd = f64x2.add(cd, f64x2.mul(v128.load(w, 80), v128.load(x, 80)));
    ab = f64x2.add(ab, f64x2.mul(v128.load(w, 96), v128.load(x, 96)));
    cd = f64x2.add(cd, f64x2.mul(v128.load(w, 112), v128.load(x, 112)));
    const sum =
      f64x2.extract_lane(ab, 0) +
      f64x2.extract_lane(ab, 1) +
      (f64x2.extract_lane(cd, 0) + f64x2.extract_lane(cd, 1));
    store<f64>(out + (usize(n) << 3), sum);
  }
}

/**
 * Reads between values at one place: out[n] = Σ weights[k] · x[n + k], summed tap by tap.
 * @param singles `frames` + `taps` values
 * @param wide room for them as doubles
 * @param frames a multiple of eight
 */
export function readStraight(
  weights: usize,
  taps: i32,
  singles: usize,
  wide: usize,
  frames: i32,
  out: usize,
): void {
  widen(singles, wide, frames + taps);
  for (let n: i32 = 0; n < frames; n += 8) {
    let a = f64x2.splat(0);
    let b = f64x2.splat(0);
    let c = f64x2.splat(0);
    let d = f64x2.splat(0);
    let x: usize = wide + (usize(n) << 3);
    let tap: usize = weights;
    for (let k: i32 = 0; k < taps; k++) {
      const w = v128.load_splat<f64>(tap);
      a = f64x2.add(a, f64x2.mul(w, v128.load(x)));
      b = f64x2.add(b, f64x2.mul(w, v128.load(x, 16)));
      c = f64x2.add(c, f64x2.mul(w, v128.load(x, 32)));
      d = f64x2.add(d, f64x2.mul(w, v128.load(x, 48)));
      x += 8;
      tap += 8;
    }
    const at: usize = out + (usize(n) << 3);
    v128.store(at, a);
    v128.store(at, b, 16);
    v128.store(at, c, 32);
    v128.store(at, d, 48);
  }
}
