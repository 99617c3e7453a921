/**
 * The loops in which amp chains and reading between values spend their time, in AssemblyScript: compiled to WebAssembly they work on two values at once. Each
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

/**
 * ∫ atan is read from a table of cubics. Its steps are as wide as a double's own: from 1 + |u| each octave has 128, so that the leading bits of
 * that say which one it is in and the others how far.
 */
const stepBits: i32 = 7;
const areaEnd: f64 = 255;
const ofOne: i64 = 0x3ff0000000000000;
const belowOne: i64 = 0x000fffffffffffff;

/** ∫ atan from 0 to u. */
function arcArea(table: usize, u: f64): f64 {
  const size = u < 0 ? -u : u;
  if (size < areaEnd) return f64x2.extract_lane(areasOf(table, f64x2.splat(size)), 0);
  return u * atan(u) - 0.5 * log(1 + u * u);
}

/** The same for two values of a size that the table has. */
function areasOf(table: usize, size: v128): v128 {
  const bits = f64x2.add(size, f64x2.splat(1));
  const steps = i64x2.sub(i64x2.shr_u(bits, 52 - stepBits), i64x2.splat(ofOne >> (52 - stepBits)));
  const first: usize = table + (usize(i64x2.extract_lane(steps, 0)) << 5);
  const second: usize = table + (usize(i64x2.extract_lane(steps, 1)) << 5);
  const within = v128.and(i64x2.shl(bits, stepBits), i64x2.splat(belowOne));
  const t = f64x2.sub(v128.or(within, i64x2.splat(ofOne)), f64x2.splat(1));
  const low = v128.load(first);
  const lowToo = v128.load(second);
  const high = v128.load(first, 16);
  const highToo = v128.load(second, 16);
  const area = v128.shuffle<f64>(low, lowToo, 0, 2);
  const slope = v128.shuffle<f64>(low, lowToo, 1, 3);
  const bend = v128.shuffle<f64>(high, highToo, 0, 2);
  const turn = v128.shuffle<f64>(high, highToo, 1, 3);
  const rise = f64x2.add(slope, f64x2.mul(t, f64x2.add(bend, f64x2.mul(t, turn))));
  return f64x2.add(area, f64x2.mul(t, rise));
}

/** Nearer to each other than this, two values differ too little to divide by: what is between them is taken for straight, to 1e-10. */
const near: f64 = 1e-5;

/** Each value's mean of atan from the value before it: of two after two, up to where one is beyond the table or near the one before. */
function meansOfArc(
  table: usize,
  into: f64,
  shift: f64,
  scale: f64,
  rest: f64,
  last: usize,
  from: usize,
  end: usize,
): usize {
  const gain = f64x2.splat(into);
  const rise = f64x2.splat(shift);
  let u = v128.load_splat<f64>(last);
  let area = v128.load_splat<f64>(last, 8);
  let x: usize = from;
  while (x < end) {
    const next = f64x2.add(f64x2.mul(gain, v128.load(x)), rise);
    const size = f64x2.abs(next);
    const apart = f64x2.sub(next, v128.shuffle<f64>(u, next, 1, 2));
    const fine = v128.and(
      f64x2.lt(size, f64x2.splat(areaEnd)),
      f64x2.gt(f64x2.abs(apart), f64x2.splat(near)),
    );
    if (!i64x2.all_true(fine)) break;
    const nextArea = areasOf(table, size);
    const mean = f64x2.div(f64x2.sub(nextArea, v128.shuffle<f64>(area, nextArea, 1, 2)), apart);
    v128.store(x, f64x2.sub(f64x2.mul(f64x2.splat(scale), mean), f64x2.splat(rest)));
    x += 16;
    u = next;
    area = nextArea;
  }
  store<f64>(last, f64x2.extract_lane(u, 1));
  store<f64>(last, f64x2.extract_lane(area, 1), 8);
  return x;
}

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
  const scale = 2 / Math.PI;
  const end = x + (usize(count) << 3);
  const endOfPairs = x + (usize(count & ~1) << 3);
  for (;;) {
    // What asks the engine for an arc tangent is kept out of the loop of pairs, which would save all that it has at hand before each.
    x = meansOfArc(table, into, shift, scale, rest, last, x, endOfPairs);
    const stop = x < endOfPairs ? x + 16 : end;
    for (; x < stop; x += 8) {
      const u = load<f64>(last);
      const next = into * load<f64>(x) + shift;
      const apart = next - u;
      const area = arcArea(table, next);
      const mean =
        apart > near || apart < -near
          ? (area - load<f64>(last, 8)) / apart
          : atan(0.5 * (next + u));
      store<f64>(x, scale * mean - rest);
      store<f64>(last, next);
      store<f64>(last, area, 8);
    }
    if (x === end) return;
  }
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

/** Below this what a filter remembers is nothing, before its numbers become slow ones. */
const silence: f64 = 1e-25;

/**
 * Two second-order sections one after the other, in place, each in transposed direct form II. The second works beside the first, one value behind it, so that
 * neither waits for the other.
 * @param factors b0 of both, b1 of both, b2, a1, a2
 * @param state the first value that each remembers, and the second of each: read and written
 * @param count at least 1
 */
export function filterPair(factors: usize, state: usize, x: usize, count: i32): void {
  const b0 = v128.load(factors);
  const b1 = v128.load(factors, 16);
  const b2 = v128.load(factors, 32);
  const a1 = v128.load(factors, 48);
  const a2 = v128.load(factors, 64);
  const end = x + (usize(count) << 3);
  const value = load<f64>(x);
  let y = f64x2.splat(load<f64>(factors) * value + load<f64>(state));
  const onlyFirst = i64x2.replace_lane(i64x2.splat(0), 0, -1);
  let first = v128.load(state);
  let second = v128.load(state, 16);
  let input = f64x2.splat(value);
  let nextFirst = f64x2.sub(f64x2.add(f64x2.mul(b1, input), second), f64x2.mul(a1, y));
  let nextSecond = f64x2.sub(f64x2.mul(b2, input), f64x2.mul(a2, y));
  first = v128.bitselect(nextFirst, first, onlyFirst);
  second = v128.bitselect(nextSecond, second, onlyFirst);
  for (x += 8; x < end; x += 8) {
    input = f64x2.replace_lane(v128.shuffle<f64>(y, y, 0, 0), 0, load<f64>(x));
    y = f64x2.add(f64x2.mul(b0, input), first);
    first = f64x2.sub(f64x2.add(f64x2.mul(b1, input), second), f64x2.mul(a1, y));
    second = f64x2.sub(f64x2.mul(b2, input), f64x2.mul(a2, y));
    store<f64>(x - 8, f64x2.extract_lane(y, 1));
  }
  input = v128.shuffle<f64>(y, y, 0, 0);
  y = f64x2.add(f64x2.mul(b0, input), first);
  store<f64>(x - 8, f64x2.extract_lane(y, 1));
  nextFirst = f64x2.sub(f64x2.add(f64x2.mul(b1, input), second), f64x2.mul(a1, y));
  nextSecond = f64x2.sub(f64x2.mul(b2, input), f64x2.mul(a2, y));
  first = v128.bitselect(first, nextFirst, onlyFirst);
  second = v128.bitselect(second, nextSecond, onlyFirst);
  const least = f64x2.splat(silence);
  v128.store(state, v128.and(first, f64x2.ge(f64x2.abs(first), least)));
  v128.store(state, v128.and(second, f64x2.ge(f64x2.abs(second), least)), 16);
}

/** Below this a follower holds nothing, before its numbers become slow ones. */
const nothingHeld: f64 = 1e-15;

/**
 * Divides each value by 1 + amount · the level that a follower of peaks has there, in place. Beside that goes another follower, of the same signal.
 * @param attack of both: how much of a level is left one value later
 * @param release the same of what is held
 * @param state what each of the two holds, and the level of each: read and written
 */
export function squash(
  attack: f64,
  release: f64,
  amount: f64,
  state: usize,
  x: usize,
  count: i32,
): void {
  let held = v128.load(state);
  let level = v128.load(state, 16);
  const falls = f64x2.splat(release);
  const rises = f64x2.splat(attack);
  for (let n: i32 = 0; n < count; n++) {
    const value = load<f64>(x);
    const size = f64x2.abs(f64x2.splat(value));
    const fallen = f64x2.add(f64x2.mul(falls, held), f64x2.mul(f64x2.splat(1 - release), size));
    held = f64x2.pmax(fallen, size);
    level = f64x2.add(f64x2.mul(rises, level), f64x2.mul(f64x2.splat(1 - attack), held));
    store<f64>(x, value / (1 + amount * f64x2.extract_lane(level, 0)));
    x += 8;
  }
  const least = f64x2.splat(nothingHeld);
  v128.store(state, v128.and(held, f64x2.ge(held, least)));
  v128.store(state, v128.and(level, f64x2.ge(level, least)), 16);
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

/** Two singles that lie one after the other, as doubles. */
function pairAt(singles: usize): v128 {
  return f64x2.promote_low_f32x4(v128.load64_zero(singles));
}

function bothLanes(pair: v128): f64 {
  return f64x2.extract_lane(pair, 0) + f64x2.extract_lane(pair, 1);
}

/** Σ of so many singles. @param count a multiple of four */
export function total(singles: usize, count: i32): f64 {
  let one = f64x2.splat(0);
  let other = f64x2.splat(0);
  for (let n: i32 = 0; n < count; n += 4) {
    one = f64x2.add(one, pairAt(singles));
    other = f64x2.add(other, pairAt(singles + 8));
    singles += 16;
  }
  return bothLanes(f64x2.add(one, other));
}

/**
 * Σ of the squares of two signals, and of their products.
 * @param count a multiple of two
 * @param sums of the one, of the other, and of both: written
 */
export function squares(left: usize, right: usize, count: i32, sums: usize): void {
  let ofLeft = f64x2.splat(0);
  let ofRight = f64x2.splat(0);
  let ofBoth = f64x2.splat(0);
  for (let n: i32 = 0; n < count; n += 2) {
    const l = pairAt(left);
    const r = pairAt(right);
    ofLeft = f64x2.add(ofLeft, f64x2.mul(l, l));
    ofRight = f64x2.add(ofRight, f64x2.mul(r, r));
    ofBoth = f64x2.add(ofBoth, f64x2.mul(l, r));
    left += 8;
    right += 8;
  }
  store<f64>(sums, bothLanes(ofLeft));
  store<f64>(sums, bothLanes(ofRight), 8);
  store<f64>(sums, bothLanes(ofBoth), 16);
}

/** The largest size of so many singles. @param count a multiple of four */
export function largest(singles: usize, count: i32): f32 {
  let most = f32x4.splat(0);
  for (let n: i32 = 0; n < count; n += 4) {
    most = f32x4.pmax(most, f32x4.abs(v128.load(singles)));
    singles += 16;
  }
  let peak = f32x4.extract_lane(most, 0);
  const second = f32x4.extract_lane(most, 1);
  const third = f32x4.extract_lane(most, 2);
  const fourth = f32x4.extract_lane(most, 3);
  if (second > peak) peak = second;
  if (third > peak) peak = third;
  if (fourth > peak) peak = fourth;
  return peak;
}

/**
 * Σ of the squares of both sides of what is weighted by two sections, and of what both add up to.
 * @param factors of the first section b0, b1, b2, a1, a2, of the second a1 and a2 (its b are 1, −2, 1)
 * @param state what each section remembers, of both sides: eight values, read and written
 * @param sums Σ (l² + r²) and Σ (l + r)²: written
 */
export function weigh(
  factors: usize,
  state: usize,
  left: usize,
  right: usize,
  count: i32,
  sums: usize,
): void {
  const b0 = v128.load_splat<f64>(factors);
  const b1 = v128.load_splat<f64>(factors, 8);
  const b2 = v128.load_splat<f64>(factors, 16);
  const a1 = v128.load_splat<f64>(factors, 24);
  const a2 = v128.load_splat<f64>(factors, 32);
  const c1 = v128.load_splat<f64>(factors, 40);
  const c2 = v128.load_splat<f64>(factors, 48);
  let s0 = v128.load(state);
  let s1 = v128.load(state, 16);
  let s2 = v128.load(state, 32);
  let s3 = v128.load(state, 48);
  let sides = f64x2.splat(0);
  let fold: f64 = 0;
  for (let n: i32 = 0; n < count; n++) {
    const x = f64x2.promote_low_f32x4(v128.load32_lane(right, v128.load32_zero(left), 1));
    const y = f64x2.add(f64x2.mul(b0, x), s0);
    s0 = f64x2.sub(f64x2.add(f64x2.mul(b1, x), s1), f64x2.mul(a1, y));
    s1 = f64x2.sub(f64x2.mul(b2, x), f64x2.mul(a2, y));
    const z = f64x2.add(y, s2);
    s2 = f64x2.sub(f64x2.sub(s3, f64x2.add(y, y)), f64x2.mul(c1, z));
    s3 = f64x2.sub(y, f64x2.mul(c2, z));
    sides = f64x2.add(sides, f64x2.mul(z, z));
    const both = bothLanes(z);
    fold += both * both;
    left += 4;
    right += 4;
  }
  const least = f64x2.splat(silence);
  v128.store(state, v128.and(s0, f64x2.ge(f64x2.abs(s0), least)));
  v128.store(state, v128.and(s1, f64x2.ge(f64x2.abs(s1), least)), 16);
  v128.store(state, v128.and(s2, f64x2.ge(f64x2.abs(s2), least)), 32);
  v128.store(state, v128.and(s3, f64x2.ge(f64x2.abs(s3), least)), 48);
  store<f64>(sums, bothLanes(sides));
  store<f64>(sums, fold, 8);
}

/** Taps of what reads a true peak, and what is looked at in one piece: see `measurement/true-peak.ts`. */
const peakTaps: i32 = 16;
const peakPiece: i32 = 32;

/**
 * The highest value between the samples.
 * @param weights of the phases ¼ and ¾ their sum and their difference, and of the phase ½, eight each
 * @param near none can exceed the nearer of its neighbours times this …
 * @param far … plus the largest sample under its taps times this
 * @param singles `count` values and fifteen before them, and nothing up to the end of the piece after the last
 * @param peak what was found so far
 */
export function highestBetween(
  weights: usize,
  near: f64,
  far: f64,
  singles: usize,
  count: i32,
  peak: f64,
): f64 {
  const half: usize = usize(peakTaps / 2) << 3;
  const pieceBytes: usize = usize(peakPiece) << 2;
  const end = singles + (usize(count) << 2);
  let next: f64 = largest(singles, peakPiece);
  for (let piece = singles; piece < end; piece += pieceBytes) {
    const here = next;
    next = largest(piece + pieceBytes, peakPiece);
    const under = here > next ? here : next;
    if (under * (near + far) <= peak) continue;
    // What the samples farther away can add at most, and what a neighbour must have to make more of that.
    let needed = f32((peak - under * far) / near);
    const last = piece + pieceBytes < end ? piece + pieceBytes : end;
    for (let x = piece; x < last; x += 8) {
      const neighbours = f32x4.abs(v128.load(x, 28));
      // Three of the four lie beside one of these two places.
      if (!v128.any_true(i32x4.replace_lane(f32x4.gt(neighbours, f32x4.splat(needed)), 3, 0)))
        continue;
      let both = f64x2.splat(0);
      let apart = f64x2.splat(0);
      let middle = f64x2.splat(0);
      let early = x;
      let late = x + (usize(peakTaps - 1) << 2);
      for (let tap = weights; tap < weights + half; tap += 8) {
        const one = pairAt(early);
        const other = pairAt(late);
        const added = f64x2.add(one, other);
        both = f64x2.add(both, f64x2.mul(v128.load_splat<f64>(tap), added));
        apart = f64x2.add(
          apart,
          f64x2.mul(v128.load_splat<f64>(tap + half), f64x2.sub(one, other)),
        );
        middle = f64x2.add(middle, f64x2.mul(v128.load_splat<f64>(tap + 2 * half), added));
        early += 4;
        late -= 4;
      }
      // The first and the last phase mirror each other: their sum and their difference were read.
      const outer = f64x2.mul(f64x2.splat(0.5), f64x2.add(f64x2.abs(both), f64x2.abs(apart)));
      const highest = f64x2.pmax(outer, f64x2.abs(middle));
      const first = f64x2.extract_lane(highest, 0);
      const second = x + 4 < last ? f64x2.extract_lane(highest, 1) : 0;
      const higher = first > second ? first : second;
      if (higher <= peak) continue;
      peak = higher;
      needed = f32((peak - under * far) / near);
    }
  }
  return peak;
}

/**
 * Three running means of two, and every other value of them.
 * @param singles 2 · count values; before them lie the two before
 */
export function halve(singles: usize, count: i32, out: usize): void {
  let x0: f64 = load<f32>(singles - 8);
  let x1: f64 = load<f32>(singles - 4);
  for (let n: i32 = 0; n < count; n++) {
    const x2: f64 = load<f32>(singles);
    const x3: f64 = load<f32>(singles, 4);
    store<f32>(out, f32(0.125 * (x0 + x3) + 0.375 * (x1 + x2)));
    x0 = x2;
    x1 = x3;
    singles += 8;
    out += 4;
  }
}

/**
 * One value in `step`, filtered: out[n] = Σ weights[k] · x[step · n + k], the even and the odd ones each in a sum of their own.
 * @param taps an even number
 */
export function thin(
  weights: usize,
  taps: i32,
  singles: usize,
  step: i32,
  count: i32,
  out: usize,
): void {
  const end = weights + (usize(taps) << 3);
  for (let n: i32 = 0; n < count; n++) {
    let sum = f64x2.splat(0);
    let x = singles;
    for (let tap = weights; tap < end; tap += 16) {
      sum = f64x2.add(sum, f64x2.mul(v128.load(tap), pairAt(x)));
      x += 8;
    }
    store<f32>(out, f32(bothLanes(sum)));
    singles += usize(step) << 2;
    out += 4;
  }
}

/** `by` less of each, in place. @param count a multiple of two */
export function lessen(by: f64, singles: usize, count: i32): void {
  const each = f64x2.splat(by);
  for (let n: i32 = 0; n < count; n += 2) {
    const less = f32x4.demote_f64x2_zero(f64x2.sub(pairAt(singles), each));
    v128.store64_lane(singles, less, 0);
    singles += 8;
  }
}
