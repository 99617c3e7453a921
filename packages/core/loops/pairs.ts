/** Two singles that lie one after the other, as doubles. */
export function pairAt(singles: usize): v128 {
  return f64x2.promote_low_f32x4(v128.load64_zero(singles));
}

/** What both hold together. */
export function bothLanes(pair: v128): f64 {
  return f64x2.extract_lane(pair, 0) + f64x2.extract_lane(pair, 1);
}

/** A single and another one, as doubles. */
export function twoOf(one: usize, other: usize): v128 {
  return f64x2.promote_low_f32x4(v128.load32_lane(other, v128.load32_zero(one), 1));
}
