/** Below this what a filter remembers is nothing, before its numbers become slow ones. */
export const silence: f64 = 1e-25;

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
