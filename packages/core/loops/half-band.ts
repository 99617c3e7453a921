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
