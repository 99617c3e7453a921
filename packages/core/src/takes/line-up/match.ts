import { parabolaPeak } from '../../signal/parabola.ts';
import type { ReadFrames } from '../../sources/blocks.ts';
import { bandCount, hopsASecond, type Flux } from './flux.ts';
import { thin, thinned } from './thin.ts';

const { abs, ceil, exp, max, min, round, sqrt } = Math;

const msAHop = 1000 / hopsASecond;
/** Two performances of one note begin no farther apart than this, once the offset is taken out. */
const farthestMs = 130;
/** So much before and after an onset is compared, what is near it counting most: its neighbours come early or late by themselves. */
const beforeMs = 40;
const afterMs = 70;
const countsMs = 22;
/** That neighbours are early and late by this much more costs as much as a fifth of a likeness; and being so far from the whole, too. */
const unsteadyMs = 80;
const awayMs = 60;
const unsteadyCost = 0.2;
/** Under this the beginnings of a band's sounds are not alike. */
const alikeEnough = 0.5;
/** And as much better than at any other place, half of the farthest away or nearer. */
const aheadOfOthers = 0.08;

/** An onset of the reference, and where the take has it. */
export interface MatchedOnset {
  /** In the reference, in frames. */
  readonly at: number;
  /** By how many frames it is later in the take. */
  readonly late: number;
  /** Whether the take surely has it there; what is not sure is left as it is. */
  readonly sure: boolean;
}

export interface Matching {
  readonly onsets: readonly MatchedOnset[];
  /** How alike the beginnings are on the whole way, 0 to 1. */
  readonly alike: number;
}

/**
 * Looks for each onset of the reference in the take: of all ways through, the one on which most beginnings are alike and neighbours
 * are about as late as each other (Viterbi 1967).
 * @param onsets of the reference, hops
 * @param offset by how many hops the take is later as a whole
 */
export function matchOnsets(
  reference: Flux,
  take: Flux,
  onsets: readonly number[],
  offset: number,
): Matching {
  const reach = ceil(farthestMs / msAHop);
  const states = 2 * reach + 1;
  const [before, after] = [round(beforeMs / msAHop), round(afterMs / msAHop)];
  const alike = onsets.map((onset) =>
    likenesses(reference, take, onset, offset, { reach, before, after }),
  );
  const steady = unsteadyCost / (unsteadyMs / msAHop) ** 2;
  const away = unsteadyCost / (awayMs / msAHop) ** 2;
  let scores = new Float64Array(states);
  const from: Int16Array[] = [];
  for (const [n, row] of alike.entries()) {
    const next = new Float64Array(states);
    const back = new Int16Array(states);
    for (let state = 0; state < states; state++) {
      let best = -Infinity;
      for (let other = 0; other < states; other++) {
        const score = scores[other] - (n === 0 ? 0 : steady * (state - other) ** 2);
        if (score > best) {
          best = score;
          back[state] = other;
        }
      }
      next[state] = best + row[state] - away * (state - reach) ** 2;
    }
    scores = next;
    from.push(back);
  }
  const highest = scores.reduce((most, score) => max(most, score), -Infinity);
  let state = scores.indexOf(highest);
  const found: MatchedOnset[] = [];
  for (let n = onsets.length - 1; n >= 0; n--) {
    const row = alike[n];
    const inside = state > 0 && state < states - 1;
    const between = inside ? parabolaPeak(row[state - 1], row[state], row[state + 1]) : 0;
    const apart = round(20 / msAHop);
    let elsewhere = 0;
    for (let other = 0; other < states; other++)
      if (abs(other - state) > apart && abs(other - state) <= reach / 2)
        elsewhere = max(elsewhere, row[other]);
    found.push({
      at: onsets[n] * reference.hopFrames,
      late: (offset + state - reach + between) * reference.hopFrames,
      sure: inside && row[state] >= alikeEnough && row[state] >= elsewhere + aheadOfOthers,
    });
    state = from[n][state];
  }
  return { onsets: found.reverse(), alike: onsets.length > 0 ? highest / onsets.length : 0 };
}

interface Around {
  readonly reach: number;
  readonly before: number;
  readonly after: number;
}

/** How alike what begins round an onset is to what begins in the take, for each shift; 0 to 1. */
function likenesses(
  reference: Flux,
  take: Flux,
  onset: number,
  offset: number,
  { reach, before, after }: Around,
): Float64Array {
  const row = new Float64Array(2 * reach + 1);
  const weights = Float64Array.from({ length: before + after + 1 }, (_, n) =>
    exp(-(((n - before) * msAHop) ** 2) / (2 * countsMs ** 2)),
  );
  let own = 0;
  for (let k = -before; k <= after; k++)
    for (let band = 0; band < bandCount; band++)
      own += weights[k + before] * (reference.bands[(onset + k) * bandCount + band] ?? 0) ** 2;
  for (let shift = -reach; shift <= reach; shift++) {
    let both = 0;
    let other = 0;
    for (let k = -before; k <= after; k++) {
      const mine = onset + k;
      const theirs = mine + offset + shift;
      if (theirs < 0 || theirs >= take.length) continue;
      const weight = weights[k + before];
      for (let band = 0; band < bandCount; band++) {
        const value = take.bands[theirs * bandCount + band];
        other += weight * value * value;
        if (mine >= 0 && mine < reference.length)
          both += weight * value * reference.bands[mine * bandCount + band];
      }
    }
    const scale = sqrt(own * other);
    row[shift + reach] = scale > 0 ? both / scale : 0;
  }
  return row;
}

/** What is compared sample by sample from shortly before an onset on. */
const waveBeforeMs = 4;
const waveAfterMs = 36;
/** So far from where the beginnings are alike. */
const waveReachMs = 7;
/**
 * Low tones rise slowly, and begin again with each of their periods: beginnings may seem alike some periods off. Where all but the same wave lies
 * farther away, so much less unlike than anywhere else, that is where it belongs.
 */
const waveFarMs = 50;
const waveSame = 0.995;
const waveSameThinned = 0.95;
const waveTold = 0.3;
/** Only waves that are so alike tell their shift: those of two performances are not, and would mislead. */
const waveTrusted = 0.75;
/** A tone is like itself a period on: where it is nearly as alike again, only what is nearest is refined. */
const waveAgain = 0.93;
/** At the edge of the reach a wave has to be so much more alike than in its middle. */
const waveAway = 0.15;

/** What the waves round an onset say of one polarity. */
export interface WaveShift {
  /** By how many frames the take is later. */
  readonly late: number;
  /** 0 to 1. */
  readonly likeness: number;
  /** Whether it is as alike nowhere else: what begins is more than a tone that goes on. */
  readonly once: boolean;
}

export interface WaveShifts {
  readonly upright: WaveShift;
  readonly inverted: WaveShift;
}

export async function waveShifts(
  readReference: ReadFrames,
  readTake: ReadFrames,
  { at, late }: MatchedOnset,
  rateHz: number,
): Promise<WaveShifts> {
  const inFrames = (ms: number) => round((ms * rateHz) / 1000);
  const from = at - inFrames(waveBeforeMs);
  const count = inFrames(waveBeforeMs + waveAfterMs);
  // Multiples of what is left out at first.
  const [reach, wide] = [waveReachMs, waveFarMs].map((ms) => ceil(inFrames(ms) / thinned));
  const place = round(late);
  const mine = await readReference(from, count);
  const other = await readTake(from + place - thinned * wide, count + 2 * thinned * wide);
  const likeness = likenessByShift(thin(mine), thin(other), wide);
  const near = likeness.subarray(wide - reach, wide + reach + 1);
  const shifted = (sign: 1 | -1): WaveShift => {
    const { shift, once } = likeliest(near, sign);
    const peaks = peaksOf(likeness, sign);
    const [top, next] = peaks;
    const at = (thinnedShift: number) => refined(thinnedShift, mine, other, thinned * wide, sign);
    const found = (one: Refined, onlyOne: boolean): WaveShift => ({
      late: place + one.shift,
      likeness: one.likeness,
      once: onlyOne,
    });
    if (top !== undefined && sign * likeness[top] > waveSameThinned) {
      const [best, second] = [at(top), next === undefined ? null : at(next)];
      const rest = second ? 1 - second.likeness : 1;
      if (best.likeness >= waveSame && 1 - best.likeness <= waveTold * rest)
        return found(best, true);
    }
    // A tone that goes on is like itself farther off, too.
    const here = shift + wide - reach;
    const again = peaks.some(
      (peak) =>
        abs(peak - here) > reach && sign * likeness[peak] >= waveAgain * sign * likeness[here],
    );
    return found(at(here), once && !again);
  };
  return { upright: shifted(1), inverted: shifted(-1) };
}

/** All peaks, as shifts, the highest first. */
function peaksOf(all: Float64Array, sign: 1 | -1): number[] {
  const peaks: number[] = [];
  for (let shift = 1; shift + 1 < all.length; shift++) {
    const here = sign * all[shift];
    if (here > sign * all[shift - 1] && here >= sign * all[shift + 1]) peaks.push(shift);
  }
  return peaks.sort((one, other) => sign * (all[other] - all[one]));
}

/** The normalised correlation of what is compared with all that it may be, shift by shift. */
function likenessByShift(mine: Float32Array, other: Float32Array, reach: number): Float64Array {
  const count = mine.length;
  const own = energy(mine, 0, count);
  let theirs = energy(other, 0, count);
  const likeness = new Float64Array(2 * reach + 1);
  for (let shift = 0; shift <= 2 * reach; shift++) {
    let both = 0;
    for (let n = 0; n < count; n++) both += mine[n] * other[n + shift];
    const scale = sqrt(own * theirs);
    likeness[shift] = scale > 1e-9 ? both / scale : 0;
    theirs = max(0, theirs + (other[shift + count] ?? 0) ** 2 - other[shift] ** 2);
  }
  return likeness;
}

function energy(samples: Float32Array, from: number, to: number): number {
  let sum = 0;
  for (let n = from; n < to; n++) sum += samples[n] * samples[n];
  return sum;
}

interface Likeliest {
  readonly shift: number;
  readonly once: boolean;
}

interface Refined {
  /** In frames. */
  readonly shift: number;
  readonly likeness: number;
}

/** To a frame, round the shift that was found among every fourth. */
function refined(
  thinnedShift: number,
  mine: Float32Array,
  other: Float32Array,
  wide: number,
  sign: 1 | -1,
): Refined {
  const first = max(0, thinnedShift * thinned - thinned);
  const last = min(2 * wide, thinnedShift * thinned + thinned);
  const own = energy(mine, 0, mine.length);
  let [best, likeness] = [first, -1];
  for (let at = first; at <= last; at++) {
    let both = 0;
    for (let n = 0; n < mine.length; n++) both += mine[n] * other[n + at];
    const scale = sqrt(own * energy(other, at, at + mine.length));
    const alike = scale > 1e-9 ? (sign * both) / scale : 0;
    if (alike > likeness) [best, likeness] = [at, alike];
  }
  return { shift: best - wide, likeness: min(1, max(0, likeness)) };
}

function likeliest(all: Float64Array, sign: 1 | -1): Likeliest {
  const reach = (all.length - 1) / 2;
  const nearness = (shift: number) => sign * all[shift] - waveAway * ((shift - reach) / reach) ** 2;
  let best = reach;
  for (let shift = 0; shift <= 2 * reach; shift++)
    if (nearness(shift) > nearness(best)) best = shift;
  // Down from the peak on both sides; behind that the next one begins.
  let [left, right] = [best, best];
  while (left > 0 && sign * all[left - 1] <= sign * all[left]) left--;
  while (right < 2 * reach && sign * all[right + 1] <= sign * all[right]) right++;
  let again = 0;
  for (let shift = 0; shift <= 2 * reach; shift++)
    if (shift < left || shift > right) again = max(again, sign * all[shift]);
  return { shift: best, once: again < waveAgain * sign * all[best] };
}

export function isTrusted({ likeness }: WaveShift): boolean {
  return likeness >= waveTrusted;
}
