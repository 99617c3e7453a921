import { floorOf, nearest } from './rounding';

/** So many singles as doubles, two at once: there is room for one more of both. */
function widen(singles: usize, doubles: usize, count: i32): void {
  for (let n: i32 = 0; n < count; n += 2) {
    v128.store(doubles, f64x2.promote_low_f32x4(v128.load64_zero(singles)));
    singles += 8;
    doubles += 16;
  }
}

/** Taps of what reads between values at any place, and phases of its table: see `signal/sinc.ts`. */
export const movingTaps: usize = 16;
export const movingPhases: f64 = 4096;

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
