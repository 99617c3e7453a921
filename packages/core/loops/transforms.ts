import { bothLanes, twoOf } from './pairs';

export { addSignal, findPeaks, findTurns, readAlong, turn, windowFour } from './vocoder';
export {
  highestBetween,
  largest,
  lessen,
  squares,
  squaresOfMoments,
  sumOf,
  thin,
  weigh,
} from './measuring';

/**
 * Fast Fourier transforms of two complex signals at once, in AssemblyScript: compiled to WebAssembly each value is worked on together with the other
 * signal's. In place, by radix 4 (Cooley and Tukey, 1965): from the signal on one way (Gentleman and Sande, 1966), and mirrored the other. Nothing is put in
 * order between; bin k lies where its digits say that are read from behind.
 *
 * Value n lies 32 · n bytes behind x: real of both, imaginary of both. All addresses are in bytes.
 */

/** a + b, a − b of what lies at two places. */
function sumAndGap(a: usize, b: usize): void {
  const re = v128.load(a);
  const im = v128.load(a, 16);
  const otherRe = v128.load(b);
  const otherIm = v128.load(b, 16);
  v128.store(a, f64x2.add(re, otherRe));
  v128.store(a, f64x2.add(im, otherIm), 16);
  v128.store(b, f64x2.sub(re, otherRe));
  v128.store(b, f64x2.sub(im, otherIm), 16);
}

/** What lies at a place, turned by cos and sin. */
function storeTurned(at: usize, re: v128, im: v128, cos: v128, sin: v128): void {
  v128.store(at, f64x2.sub(f64x2.mul(re, cos), f64x2.mul(im, sin)));
  v128.store(at, f64x2.add(f64x2.mul(re, sin), f64x2.mul(im, cos)), 16);
}

/** Four values, `quarter` apart, to four bins, the last three turned by once, twice and three times an angle, of which cos and −sin lie at `turn`. */
function toBins(a: usize, quarter: usize, turn: usize): void {
  const b = a + quarter;
  const c = b + quarter;
  const d = c + quarter;
  const aRe = v128.load(a);
  const aIm = v128.load(a, 16);
  const cRe = v128.load(c);
  const cIm = v128.load(c, 16);
  const bRe = v128.load(b);
  const bIm = v128.load(b, 16);
  const dRe = v128.load(d);
  const dIm = v128.load(d, 16);
  const evenRe = f64x2.add(aRe, cRe);
  const evenIm = f64x2.add(aIm, cIm);
  const oddRe = f64x2.add(bRe, dRe);
  const oddIm = f64x2.add(bIm, dIm);
  const gapRe = f64x2.sub(aRe, cRe);
  const gapIm = f64x2.sub(aIm, cIm);
  // Times −i.
  const sideRe = f64x2.sub(bIm, dIm);
  const sideIm = f64x2.sub(dRe, bRe);
  v128.store(a, f64x2.add(evenRe, oddRe));
  v128.store(a, f64x2.add(evenIm, oddIm), 16);
  storeTurned(
    b,
    f64x2.add(gapRe, sideRe),
    f64x2.add(gapIm, sideIm),
    v128.load_splat<f64>(turn),
    v128.load_splat<f64>(turn, 8),
  );
  storeTurned(
    c,
    f64x2.sub(evenRe, oddRe),
    f64x2.sub(evenIm, oddIm),
    v128.load_splat<f64>(turn, 16),
    v128.load_splat<f64>(turn, 24),
  );
  storeTurned(
    d,
    f64x2.sub(gapRe, sideRe),
    f64x2.sub(gapIm, sideIm),
    v128.load_splat<f64>(turn, 32),
    v128.load_splat<f64>(turn, 40),
  );
}

/** The way back: four bins, the last three turned back first, to four values. */
function toValues(a: usize, quarter: usize, turn: usize): void {
  const b = a + quarter;
  const c = b + quarter;
  const d = c + quarter;
  const aRe = v128.load(a);
  const aIm = v128.load(a, 16);
  let cos = v128.load_splat<f64>(turn);
  let sin = v128.load_splat<f64>(turn, 8);
  let re = v128.load(b);
  let im = v128.load(b, 16);
  const bRe = f64x2.add(f64x2.mul(re, cos), f64x2.mul(im, sin));
  const bIm = f64x2.sub(f64x2.mul(im, cos), f64x2.mul(re, sin));
  cos = v128.load_splat<f64>(turn, 16);
  sin = v128.load_splat<f64>(turn, 24);
  re = v128.load(c);
  im = v128.load(c, 16);
  const cRe = f64x2.add(f64x2.mul(re, cos), f64x2.mul(im, sin));
  const cIm = f64x2.sub(f64x2.mul(im, cos), f64x2.mul(re, sin));
  cos = v128.load_splat<f64>(turn, 32);
  sin = v128.load_splat<f64>(turn, 40);
  re = v128.load(d);
  im = v128.load(d, 16);
  const dRe = f64x2.add(f64x2.mul(re, cos), f64x2.mul(im, sin));
  const dIm = f64x2.sub(f64x2.mul(im, cos), f64x2.mul(re, sin));
  const evenRe = f64x2.add(aRe, cRe);
  const evenIm = f64x2.add(aIm, cIm);
  const oddRe = f64x2.add(bRe, dRe);
  const oddIm = f64x2.add(bIm, dIm);
  const gapRe = f64x2.sub(aRe, cRe);
  const gapIm = f64x2.sub(aIm, cIm);
  // Times i.
  const sideRe = f64x2.sub(dIm, bIm);
  const sideIm = f64x2.sub(bRe, dRe);
  v128.store(a, f64x2.add(evenRe, oddRe));
  v128.store(a, f64x2.add(evenIm, oddIm), 16);
  v128.store(b, f64x2.add(gapRe, sideRe));
  v128.store(b, f64x2.add(gapIm, sideIm), 16);
  v128.store(c, f64x2.sub(evenRe, oddRe));
  v128.store(c, f64x2.sub(evenIm, oddIm), 16);
  v128.store(d, f64x2.sub(gapRe, sideRe));
  v128.store(d, f64x2.sub(gapIm, sideIm), 16);
}

/** Pairs beside each other: all that is left of a size that is no power of four. */
function pairs(x: usize, end: usize): void {
  for (let at = x; at < end; at += 64) sumAndGap(at, at + 32);
}

/** Parts of so many bytes lie in the nearest cache together with what turns them: they are gone through to their end before the next. */
const near: usize = 16_384;

/** One step of a part and of those of the same length beside it. @returns where the turns of the next step are */
function stepToBins(turns: usize, x: usize, end: usize, length: usize): usize {
  const quarter = length >> 2;
  let turn = turns;
  for (let part = x; part < end; part += length) {
    turn = turns;
    for (let at = part; at < part + quarter; at += 32) {
      toBins(at, quarter, turn);
      turn += 48;
    }
  }
  return turn;
}

function onward(turns: usize, x: usize, whole: usize): void {
  const end = x + whole;
  if (whole > near) {
    turns = stepToBins(turns, x, end, whole);
    const quarter = whole >> 2;
    for (let part = x; part < end; part += quarter) onward(turns, part, quarter);
    return;
  }
  let length = whole;
  for (; length > 64; length >>= 2) turns = stepToBins(turns, x, end, length);
  if (length === 64) pairs(x, end);
}

/** The mirrored step. @param turns behind those of the step. @returns behind those of the next one */
function stepToValues(turns: usize, x: usize, end: usize, length: usize): usize {
  const quarter = length >> 2;
  const own = turns - 48 * (quarter >> 5);
  for (let part = x; part < end; part += length) {
    let turn = own;
    for (let at = part; at < part + quarter; at += 32) {
      toValues(at, quarter, turn);
      turn += 48;
    }
  }
  return own;
}

/** @param turns behind those of the smallest parts; returned: behind those of what is longer than this one */
function back(turns: usize, x: usize, whole: usize): usize {
  const end = x + whole;
  if (whole > near) {
    const quarter = whole >> 2;
    let left = turns;
    for (let part = x; part < end; part += quarter) left = back(turns, part, quarter);
    return stepToValues(left, x, end, whole);
  }
  let length: usize = 32;
  // An odd number of bits: pairs first.
  if (ctz(whole) % 2 === 0) {
    pairs(x, end);
    length = 64;
  }
  while (length < whole) {
    length <<= 2;
    turns = stepToValues(turns, x, end, length);
  }
  return turns;
}

/** How many bytes turn a transform of a size. */
function bytesOfTurns(size: i32): usize {
  let bytes: usize = 0;
  for (let length = size; length >= 4; length >>= 2) bytes += 48 * usize(length >> 2);
  return bytes;
}

/**
 * From values to bins, in place.
 * @param turns for each length from the size on, a quarter of it each time, down to four: cos and −sin of 2πk, 4πk and 6πk / length, k from 0 to a quarter of the length
 * @param size a power of two, at least 2
 */
export function forward(turns: usize, x: usize, size: i32): void {
  onward(turns, x, usize(size) << 5);
}

/** From bins to values, in place; each `size` times what it was. */
export function inverse(turns: usize, x: usize, size: i32): void {
  back(turns + bytesOfTurns(size), x, usize(size) << 5);
}

/** Two values, `quarter` apart, and two that are nothing, to four bins, turned as those of `toBins` are. */
function halfToBins(
  a: usize,
  quarter: usize,
  re: v128,
  im: v128,
  bRe: v128,
  bIm: v128,
  turn: usize,
): void {
  const b = a + quarter;
  const c = b + quarter;
  const d = c + quarter;
  v128.store(a, f64x2.add(re, bRe));
  v128.store(a, f64x2.add(im, bIm), 16);
  storeTurned(
    b,
    f64x2.add(re, bIm),
    f64x2.sub(im, bRe),
    v128.load_splat<f64>(turn),
    v128.load_splat<f64>(turn, 8),
  );
  storeTurned(
    c,
    f64x2.sub(re, bRe),
    f64x2.sub(im, bIm),
    v128.load_splat<f64>(turn, 16),
    v128.load_splat<f64>(turn, 24),
  );
  storeTurned(
    d,
    f64x2.sub(re, bIm),
    f64x2.add(im, bRe),
    v128.load_splat<f64>(turn, 32),
    v128.load_splat<f64>(turn, 40),
  );
}

/**
 * From four signals of singles, one behind the other, of which the second half is nothing, to bins.
 * @param turns see `forward`
 * @param singles 4 · size values, of which the first half of each signal is read
 * @param size a power of two, at least 4
 */
export function forwardOfHalves(turns: usize, singles: usize, x: usize, size: i32): void {
  const quarter = usize(size) << 3;
  const bytes = usize(size) << 2;
  const later = usize(size);
  let turn = turns;
  for (let at = x; at < x + quarter; at += 32) {
    halfToBins(
      at,
      quarter,
      twoOf(singles, singles + bytes),
      twoOf(singles + 2 * bytes, singles + 3 * bytes),
      twoOf(singles + later, singles + later + bytes),
      twoOf(singles + later + 2 * bytes, singles + later + 3 * bytes),
      turn,
    );
    singles += 4;
    turn += 48;
  }
  for (let n: usize = 0; n < 4; n++) onward(turn, x + n * quarter, quarter);
}

/**
 * Each bin of both times a kernel's, in place.
 * @param kernel real and imaginary of each bin, in the order of the bins
 */
export function filter(kernel: usize, x: usize, size: i32): void {
  const end = x + (usize(size) << 5);
  for (let at = x; at < end; at += 32) {
    const re = v128.load(at);
    const im = v128.load(at, 16);
    storeTurned(at, re, im, v128.load_splat<f64>(kernel), v128.load_splat<f64>(kernel, 8));
    kernel += 16;
  }
}

/**
 * Four signals of singles, one behind the other, side by side as doubles.
 * @param singles 4 · size values
 */
export function widen(singles: usize, x: usize, size: i32): void {
  const bytes = usize(size) << 2;
  for (let n: usize = 0; n < bytes; n += 4) {
    const at = singles + n;
    v128.store(x, twoOf(at, at + bytes));
    v128.store(x, twoOf(at + 2 * bytes, at + 3 * bytes), 16);
    x += 32;
  }
}

/** The way back. */
export function narrow(x: usize, singles: usize, size: i32): void {
  const bytes = usize(size) << 2;
  for (let n: usize = 0; n < bytes; n += 4) {
    const at = singles + n;
    store<f32>(at, f32(load<f64>(x)));
    store<f32>(at + bytes, f32(load<f64>(x, 8)));
    store<f32>(at + 2 * bytes, f32(load<f64>(x, 16)));
    store<f32>(at + 3 * bytes, f32(load<f64>(x, 24)));
    x += 32;
  }
}

/** The spectrum of what is real of both, out of a bin and the one that mirrors it: half their sum, and half their difference. @param by a half, twice */
function storeRealPart(into: usize, other: usize, re: v128, im: v128, by: v128): void {
  const halfRe = f64x2.mul(by, re);
  const halfIm = f64x2.mul(by, im);
  v128.store(into, v128.shuffle<f64>(halfRe, halfIm, 0, 2));
  v128.store(other, v128.shuffle<f64>(halfRe, halfIm, 1, 3));
}

/**
 * The spectra of four real signals out of their bins, each of bins 0 to size / 2, real and imaginary.
 * @param places where each bin lies, as whole numbers of 32 bits
 * @param re0 that of signal 0, and so on
 */
export function takeApart(
  places: usize,
  x: usize,
  size: i32,
  re0: usize,
  re1: usize,
  im2: usize,
  im3: usize,
): void {
  const by = v128.load(half);
  for (let k: i32 = 0; k <= size >> 1; k++) {
    const mirrored = k === 0 ? 0 : size - k;
    const z = x + (usize(load<u32>(places + (usize(k) << 2))) << 5);
    const w = x + (usize(load<u32>(places + (usize(mirrored) << 2))) << 5);
    const zRe = v128.load(z);
    const zIm = v128.load(z, 16);
    const wRe = v128.load(w);
    const wIm = v128.load(w, 16);
    const at: usize = usize(k) << 4;
    storeRealPart(re0 + at, re1 + at, f64x2.add(zRe, wRe), f64x2.sub(zIm, wIm), by);
    storeRealPart(im2 + at, im3 + at, f64x2.add(zIm, wIm), f64x2.sub(wRe, zRe), by);
  }
}

/**
 * The way back: the bins of both complex signals out of the spectra of four real ones. What is imaginary of the first and the last bin
 * is left out.
 */
export function putTogether(
  places: usize,
  x: usize,
  size: i32,
  re0: usize,
  re1: usize,
  im2: usize,
  im3: usize,
): void {
  for (let k: i32 = 0; k <= size >> 1; k++) {
    const ends = k === 0 || k === size >> 1;
    const mirror = ends ? k : size - k;
    const z = x + (usize(load<u32>(places + (usize(k) << 2))) << 5);
    const w = x + (usize(load<u32>(places + (usize(mirror) << 2))) << 5);
    const at: usize = usize(k) << 4;
    const a = v128.load(re0 + at);
    const b = v128.load(re1 + at);
    const c = v128.load(im2 + at);
    const d = v128.load(im3 + at);
    const abRe = v128.shuffle<f64>(a, b, 0, 2);
    const cdRe = v128.shuffle<f64>(c, d, 0, 2);
    if (ends) {
      v128.store(z, abRe);
      v128.store(z, cdRe, 16);
      continue;
    }
    const abIm = v128.shuffle<f64>(a, b, 1, 3);
    const cdIm = v128.shuffle<f64>(c, d, 1, 3);
    v128.store(z, f64x2.sub(abRe, cdIm));
    v128.store(z, f64x2.add(abIm, cdRe), 16);
    v128.store(w, f64x2.add(abRe, cdIm));
    v128.store(w, f64x2.sub(cdRe, abIm), 16);
  }
}

/** Of a pair the second one turned over. It is read, not written out: what is written out is put together anew each time round a loop. */
const mirror = memory.data<f64>([1, -1]);
const sixteenth = memory.data<f64>([0.0625, 0.0625]);
const half = memory.data<f64>([0.5, 0.5]);

/** conj(a) · b of one bin. @param turned 1 and −1 */
function product(a: usize, b: usize, turned: v128): v128 {
  const value = v128.load(b);
  const along = f64x2.mul(v128.load_splat<f64>(a), value);
  // (im, −re) of b.
  const across = f64x2.mul(
    f64x2.mul(v128.load_splat<f64>(a, 8), v128.shuffle<f64>(value, value, 1, 0)),
    turned,
  );
  return f64x2.add(along, across);
}

function gain(sum: usize, value: v128): void {
  v128.store(sum, f64x2.add(v128.load(sum), value));
}

/** `sum` gains conj(a) · b of each of so many bins. */
export function addProduct(sum: usize, a: usize, b: usize, bins: i32): void {
  const turned = v128.load(mirror);
  const end = sum + (usize(bins) << 4);
  // Four at a time: going round costs as much as one of them.
  for (; sum + 48 < end; sum += 64) {
    gain(sum, product(a, b, turned));
    gain(sum + 16, product(a + 16, b + 16, turned));
    gain(sum + 32, product(a + 32, b + 32, turned));
    gain(sum + 48, product(a + 48, b + 48, turned));
    a += 64;
    b += 64;
  }
  for (; sum < end; sum += 16) {
    gain(sum, product(a, b, turned));
    a += 16;
    b += 16;
  }
}

/** The same of two products: `sum` gains conj(a) · b and conj(c) · d. */
export function addProducts(sum: usize, a: usize, b: usize, c: usize, d: usize, bins: i32): void {
  const turned = v128.load(mirror);
  const end = sum + (usize(bins) << 4);
  for (; sum + 16 < end; sum += 32) {
    gain(sum, f64x2.add(product(a, b, turned), product(c, d, turned)));
    gain(sum + 16, f64x2.add(product(a + 16, b + 16, turned), product(c + 16, d + 16, turned)));
    a += 32;
    b += 32;
    c += 32;
    d += 32;
  }
  if (sum < end) gain(sum, f64x2.add(product(a, b, turned), product(c, d, turned)));
}

/** Four times a bin of a Hann window, out of those of a rectangular one: twice a bin less both its neighbours. */
function smoothed(low: v128, bin: v128, high: v128): v128 {
  return f64x2.sub(f64x2.add(bin, bin), f64x2.add(low, high));
}

/** Real times real and imaginary times imaginary of two bins and of two others, added up. @param scale of both: a sixteenth */
function productOfBins(a: v128, b: v128, next: v128, other: v128, scale: v128): v128 {
  const here = f64x2.mul(a, b);
  const beside = f64x2.mul(next, other);
  return f64x2.mul(
    scale,
    f64x2.add(v128.shuffle<f64>(here, beside, 0, 2), v128.shuffle<f64>(here, beside, 1, 3)),
  );
}

function gainOne(sum: usize, pair: v128): void {
  store<f64>(sum, load<f64>(sum) + f64x2.extract_lane(pair, 0));
}

/**
 * Adds up the power of a Hann window of both sides, which two blocks of both make, and what both have in common. The later block of a window is turned by
 * half a transform: its even bins are added, its odd ones taken away.
 * @param left spectrum of the left side's earlier block, `nextLeft` of its later one
 * @param last number of the last bin: half of the size, even
 * @param sums power left, power right and Re L·R* of all windows: `last` + 1 values each, one after the other
 * @param own power of both and Re L·R* of this one alone, the same way
 */
export function addWindow(
  left: usize,
  nextLeft: usize,
  right: usize,
  nextRight: usize,
  last: i32,
  sums: usize,
  own: usize,
): void {
  const bytes: usize = usize(last + 1) << 3;
  // The bin before the first one mirrors the second, the one after the last the last but one.
  const turned = v128.load(mirror);
  const scale = v128.load(sixteenth);
  let leftLow = f64x2.mul(turned, f64x2.sub(v128.load(left, 16), v128.load(nextLeft, 16)));
  let rightLow = f64x2.mul(turned, f64x2.sub(v128.load(right, 16), v128.load(nextRight, 16)));
  let leftBin = f64x2.add(v128.load(left), v128.load(nextLeft));
  let rightBin = f64x2.add(v128.load(right), v128.load(nextRight));
  for (let bin: i32 = 0; bin < last; bin += 2) {
    const leftOdd = f64x2.sub(v128.load(left, 16), v128.load(nextLeft, 16));
    const rightOdd = f64x2.sub(v128.load(right, 16), v128.load(nextRight, 16));
    const leftHigh = f64x2.add(v128.load(left, 32), v128.load(nextLeft, 32));
    const rightHigh = f64x2.add(v128.load(right, 32), v128.load(nextRight, 32));
    const l = smoothed(leftLow, leftBin, leftOdd);
    const r = smoothed(rightLow, rightBin, rightOdd);
    const nextL = smoothed(leftBin, leftOdd, leftHigh);
    const nextR = smoothed(rightBin, rightOdd, rightHigh);
    const leftPower = productOfBins(l, l, nextL, nextL, scale);
    const rightPower = productOfBins(r, r, nextR, nextR, scale);
    const cross = productOfBins(l, r, nextL, nextR, scale);
    gain(sums, leftPower);
    gain(sums + bytes, rightPower);
    gain(sums + 2 * bytes, cross);
    v128.store(own, f64x2.add(leftPower, rightPower));
    v128.store(own + bytes, cross);
    left += 32;
    nextLeft += 32;
    right += 32;
    nextRight += 32;
    sums += 16;
    own += 16;
    leftLow = leftOdd;
    rightLow = rightOdd;
    leftBin = leftHigh;
    rightBin = rightHigh;
  }
  const l = smoothed(leftLow, leftBin, f64x2.mul(turned, leftLow));
  const r = smoothed(rightLow, rightBin, f64x2.mul(turned, rightLow));
  const leftPower = productOfBins(l, l, l, l, scale);
  const rightPower = productOfBins(r, r, r, r, scale);
  const cross = productOfBins(l, r, l, r, scale);
  gainOne(sums, leftPower);
  gainOne(sums + bytes, rightPower);
  gainOne(sums + 2 * bytes, cross);
  store<f64>(own, f64x2.extract_lane(f64x2.add(leftPower, rightPower), 0));
  store<f64>(own + bytes, f64x2.extract_lane(cross, 0));
}

/** Σ of so many values. */
export function total(x: usize, count: i32): f64 {
  let one = f64x2.splat(0);
  let other = f64x2.splat(0);
  const end = x + (usize(count) << 3);
  for (; x + 32 <= end; x += 32) {
    one = f64x2.add(one, v128.load(x));
    other = f64x2.add(other, v128.load(x, 16));
  }
  let sum = bothLanes(f64x2.add(one, other));
  for (; x < end; x += 8) sum += load<f64>(x);
  return sum;
}
