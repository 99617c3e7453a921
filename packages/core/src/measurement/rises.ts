import { parabolaPeak } from '../signal/parabola.ts';
import { longestLeadMs } from './lead.ts';
import type { SidesInTime } from './sides-in-time.ts';

const { abs, max, round, sqrt } = Math;

/** A level is taken over so many moments on either side, and rises by what it was so many moments ago. */
const besideMoments = 3;
const agoMoments = 4;
/** Smaller ones, against the largest and against the highest level, are the waves within a tone. */
const leastRise = 0.1;
const leastOfLevel = 0.04;
/** So much of how both sides rise is alike where one follows the other. */
const sureRises = 0.6;
/** As alike as this elsewhere, against the highest, and so far off: it is open which of both it is. */
const rivalShare = 0.75;
const rivalMs = 4;

/** How fast a side's level rises at each moment, 0 where it falls or hardly rises. */
function risesOf(energies: Float64Array): Float64Array {
  const { length } = energies;
  const levels = new Float64Array(length);
  const rises = new Float64Array(length);
  let [sum, highest, largest] = [0, 0, 0];
  for (let n = -besideMoments; n < length; n++) {
    if (n + besideMoments < length) sum += energies[n + besideMoments];
    if (n > besideMoments) sum -= energies[n - besideMoments - 1];
    if (n < 0) continue;
    levels[n] = sqrt(max(0, sum));
    highest = max(highest, levels[n]);
    // What begins with the first moment has not been seen to rise.
    if (n >= agoMoments + besideMoments)
      largest = max(largest, (rises[n] = levels[n] - levels[n - agoMoments]));
  }
  const least = max(leastRise * largest, leastOfLevel * highest);
  for (let n = 0; n < length; n++) if (!(rises[n] > least)) rises[n] = 0;
  return rises;
}

/** At which moments it rises: most of the time nothing does. */
function risingAt(rises: Float64Array): number[] {
  const moments: number[] = [];
  for (let n = 0; n < rises.length; n++) if (rises[n] > 0) moments.push(n);
  return moments;
}

/**
 * By how much later the right side's level rises where the left one's does, in ms: tones of another pitch, or that glide, rise at
 * their time all the same. Within a millisecond or two, as voices wander; null where levels hardly rise, or not together.
 */
export function riseLag({ left, right, momentMs }: SidesInTime): number | null {
  const [first, second] = [risesOf(left), risesOf(right)];
  const reach = round(longestLeadMs / momentMs);
  const sums = new Float64Array(2 * reach + 1);
  let [ofFirst, ofSecond, nearest] = [0, 0, 0];
  const [from, to] = [risingAt(first), risingAt(second)];
  for (const n of to) ofSecond += second[n] * second[n];
  for (const n of from) {
    ofFirst += first[n] * first[n];
    while (to[nearest] < n - reach) nearest++;
    for (let k = nearest; k < to.length && to[k] <= n + reach; k++)
      sums[reach + to[k] - n] += first[n] * second[to[k]];
  }
  const best = sums.reduce((at, sum, n) => (sum > sums[at] ? n : at), 0);
  if (best === 0 || best === 2 * reach) return null;
  if (!(sums[best] > sureRises * sqrt(ofFirst * ofSecond))) return null;
  const isRival = (sum: number, n: number) =>
    abs(n - best) * momentMs > rivalMs && sum > rivalShare * sums[best];
  if (sums.some(isRival)) return null;
  return (best - reach + parabolaPeak(sums[best - 1], sums[best], sums[best + 1])) * momentMs;
}
