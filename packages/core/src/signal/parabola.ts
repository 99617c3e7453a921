const { max, min } = Math;

/** Where between −0.5 and 0.5 the extremum through three neighbours lies. */
export function parabolaPeak(before: number, peak: number, after: number): number {
  const curvature = before - 2 * peak + after;
  if (curvature === 0) return 0;
  return max(-0.5, min(0.5, (0.5 * (before - after)) / curvature));
}
