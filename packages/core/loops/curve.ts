declare function atan(x: f64): f64;
declare function log(x: f64): f64;

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
