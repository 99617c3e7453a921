/** Where its last bit is worth 1, a double holds a whole number in its lower bits. */
const wholeBits: f64 = 6755399441055744;

/** The nearest whole number of what is no larger than an i32. A conversion would look for what it cannot hold, in twice the time of the loops that ask. */
export function nearest(value: f64): i32 {
  return i32(reinterpret<i64>(value + wholeBits));
}

/** The largest whole number that is not above; that of the processor would have each wait for the one before. */
export function floorOf(value: f64): f64 {
  const rounded = value + wholeBits - wholeBits;
  const above = f64x2.gt(f64x2.splat(rounded), f64x2.splat(value));
  return rounded - f64x2.extract_lane(v128.and(above, f64x2.splat(1)), 0);
}
