import { silence } from './followers';
import { bothLanes, pairAt, twoOf } from './pairs';

/** Σ of so many singles. @param count a multiple of four */
export function sumOf(singles: usize, count: i32): f64 {
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

/**
 * The same of so many moments one after the other, each of `frames`.
 * @param frames a multiple of two
 * @param sums three for each moment: written
 */
export function squaresOfMoments(
  left: usize,
  right: usize,
  frames: i32,
  moments: i32,
  sums: usize,
): void {
  const bytes: usize = usize(frames) << 2;
  for (let n: i32 = 0; n < moments; n++) {
    squares(left, right, frames, sums);
    left += bytes;
    right += bytes;
    sums += 24;
  }
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
    const x = twoOf(left, right);
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
