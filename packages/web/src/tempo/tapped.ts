/** Taps farther apart than this begin anew. */
const longestMs = 2500;
/** So many of the last ones count. */
const most = 12;

/** Times of taps, the newest last, those before a pause left out. */
export function tapped(times: readonly number[], now: number): readonly number[] {
  const last = times.at(-1);
  return last === undefined || now - last > longestMs ? [now] : [...times, now].slice(-most);
}

/** Beats a minute of taps, to a tenth: by the middle one of their distances; null of a single one. */
export function bpmOf(times: readonly number[]): number | null {
  const apart = times.slice(1).map((time, n) => time - times[n]);
  if (apart.length === 0) return null;
  const sorted = apart.toSorted((a, b) => a - b);
  const middle =
    (sorted[Math.floor((sorted.length - 1) / 2)] + sorted[Math.ceil((sorted.length - 1) / 2)]) / 2;
  return Math.round(600_000 / middle) / 10;
}
