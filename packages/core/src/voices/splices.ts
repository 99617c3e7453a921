import { parabolaPeak } from '../signal/parabola.ts';
import { interpolationWeights } from '../signal/sinc.ts';
import { nextPowerOfTwo, RealFft } from '../signal/spectrum.ts';
import type { TunerKind } from './voice.ts';

const { abs, sqrt, min, max, floor, round, ceil, sign, log10 } = Math;

/**
 * How a tuned voice reads its take: straight lines a little faster or slower than time, joined by splices that put it
 * back near its place. Segment k reads source position `positions[k] + ratio·(t − starts[k])` from voice time
 * `starts[k]` on; for `crossfadeFrames` from there it fades in over segment k − 1.
 */
export interface SplicePlan {
  readonly ratio: number;
  readonly crossfadeFrames: number;
  /** Where it covers only a stretch, to be heard at once while the whole is planned: the frame that it ends at. */
  readonly coarseTo?: number;
  readonly starts: Float64Array;
  readonly positions: Float64Array;
  /** How alike the two readings of the splice at the segment's start are, 0 to 1: the crossfade's gain depends on it. */
  readonly likeness: Float64Array;
}

/** How a kind of sound is spliced. */
interface SpliceStyle {
  /** The voice wanders from its place by half of this at most, as a rule. */
  readonly windowMs: number;
  readonly crossfadeMs: number;
  /** Places at which a splice is tried before the best one is taken. */
  readonly tries: number;
  /** Whether splices keep away from onsets. */
  readonly sparesOnsets: boolean;
}

/**
 * A single line repeats itself within some 10 ms, so that a jump by a period is not heard. A chord repeats itself, if at
 * all, over longer times. A struck sound has no period to speak of, but moments at which nothing begins.
 */
export const spliceStyles: Readonly<Record<TunerKind, SpliceStyle>> = {
  single: { windowMs: 20, crossfadeMs: 10, tries: 3, sparesOnsets: false },
  chords: { windowMs: 40, crossfadeMs: 20, tries: 4, sparesOnsets: false },
  struck: { windowMs: 16, crossfadeMs: 6, tries: 6, sparesOnsets: true },
};

/** Under this likeness a longer jump is looked for: a tone below some 60 Hz needs one. */
const goodLikeness = 0.9;
/** A longer jump has to be so much better, or noise would wander for nothing. */
const worthLonger = 0.1;

export interface SpliceRequest {
  readonly kind: TunerKind;
  /** Frequency ratio, 0.5 to 2. */
  readonly ratio: number;
  readonly rateHz: number;
  /** Length of the source. */
  readonly frames: number;
  /** Plans this stretch alone, for what is to be heard at once; all of the source if left out. */
  readonly from?: number;
  readonly to?: number;
  /** `count` frames from `start`, silence outside. */
  readonly read: (start: number, count: number) => Promise<Float32Array>;
}

/**
 * Plans the splices of a take ahead. Each is put where, and jumps by how much, the normalised correlation of what was and
 * what will be read is highest; the lag is refined to fractions of a sample.
 */
export async function planSplices(request: SpliceRequest): Promise<SplicePlan> {
  const { kind, ratio, rateHz, read } = request;
  const from = request.from ?? 0;
  const to = min(request.to ?? request.frames, request.frames);
  const style = spliceStyles[kind];
  const reach = round((style.windowMs * rateHz) / 2000);
  const crossfadeFrames = round((style.crossfadeMs * rateHz) / 1000);
  const starts = [from];
  const positions = [from];
  const likeness = [1];
  const slope = ratio - 1;
  if (slope !== 0) {
    const direction = sign(slope);
    const search = new LagSearch(crossfadeFrames, reach);
    for (;;) {
      const start = starts[starts.length - 1];
      const position = positions[positions.length - 1];
      /** When the reading is `distance` away from its place. */
      const timeAt = (distance: number) =>
        ceil(start + (direction * distance - (position - start)) / slope);
      const first = max(timeAt(reach / 2), start + crossfadeFrames);
      if (first >= to) break;
      const last = max(first, timeAt(reach));
      const bestUpTo = async (longest: number) => {
        let best: Splice | undefined;
        const tries = last > first ? style.tries : 1;
        for (let n = 0; n < tries; n++) {
          const time = round(first + ((last - first) * n) / max(1, tries - 1));
          const place = position + ratio * (time - start);
          const wander = abs(place - time);
          const found = await search.at(read, place, direction, wander + longest);
          const score = style.sparesOnsets
            ? found.score -
              (await onsetPenalty(read, place, direction * found.lag, crossfadeFrames))
            : found.score;
          if (!best || score > best.score) best = { ...found, score, time, place };
        }
        return best as Splice;
      };
      let best = await bestUpTo(reach);
      if (best.likeness < goodLikeness && !style.sparesOnsets) {
        const longer = await bestUpTo(3 * reach);
        if (longer.score > best.score + worthLonger) best = longer;
      }
      starts.push(best.time);
      positions.push(best.place - direction * best.lag);
      likeness.push(best.likeness);
    }
  }
  return {
    ratio,
    crossfadeFrames,
    ...(request.from === undefined ? {} : { coarseTo: to }),
    starts: Float64Array.from(starts),
    positions: Float64Array.from(positions),
    likeness: Float64Array.from(likeness),
  };
}

/** From this rise on, in dB from one crossfade's length to the next, something begins. */
const onsetDb = 6;

/** How much speaks against a crossfade from `place` to `place − back`, since something begins within it. */
async function onsetPenalty(
  read: SpliceRequest['read'],
  place: number,
  back: number,
  length: number,
): Promise<number> {
  let steepest = 0;
  for (const at of [place, place - back]) {
    const samples = await read(floor(at) - length, 3 * length);
    let before = 0;
    for (let k = 0; k < 3; k++) {
      let energy = 1e-9;
      for (let n = k * length; n < (k + 1) * length; n++) energy += samples[n] * samples[n];
      const level = 10 * log10(energy);
      if (k > 0) steepest = max(steepest, level - before);
      before = level;
    }
  }
  return steepest > onsetDb ? steepest / 12 : 0;
}

interface Lag {
  readonly lag: number;
  readonly likeness: number;
  readonly score: number;
}

interface Splice extends Lag {
  readonly time: number;
  readonly place: number;
}

/** Finds by how many frames to jump so that the reading goes on as alike as possible. */
class LagSearch {
  readonly #window: number;
  readonly #shortest: number;
  readonly #span: number;
  readonly #fft: RealFft;
  readonly #region: number[];
  readonly #current: number[];
  readonly #product: number[];
  readonly #correlation: number[];

  constructor(window: number, shortest: number) {
    this.#window = window;
    this.#shortest = shortest;
    this.#span = 3 * shortest;
    this.#fft = new RealFft(nextPowerOfTwo(window + this.#span + 2 * edge));
    this.#region = this.#fft.createSpectrum();
    this.#current = this.#fft.createSpectrum();
    this.#product = this.#fft.createSpectrum();
    this.#correlation = this.#fft.createSpectrum();
  }

  /** Lags from the shortest to `longest`; the jump goes back for `direction` 1, forward for −1. */
  async at(
    read: SpliceRequest['read'],
    place: number,
    direction: number,
    longest: number,
  ): Promise<Lag> {
    const whole = floor(place);
    const limit = min(floor(longest), this.#span);
    const regionStart = direction > 0 ? whole - this.#span - edge : whole - edge;
    const regionFrames = this.#span + this.#window + 2 * edge;
    const region = await read(regionStart, regionFrames);
    const origin = whole - regionStart;
    const current = region.subarray(origin, origin + this.#window);

    this.#correlate(region, current);
    const energies = runningEnergy(region, this.#window);
    const own = energies[origin];
    const shiftOf = (lag: number) => origin - direction * lag;
    const alike = (shift: number) => {
      const scale = sqrt(own * energies[shift]);
      // Silence goes on as silence: nowhere is a splice less heard.
      return scale > 1e-12 ? this.#correlation[2 * shift] / scale : 1;
    };
    let best = this.#shortest;
    let score = -Infinity;
    for (let lag = this.#shortest; lag <= limit; lag++) {
      // Of equally good lags the one in the middle of the range keeps the voice nearest its place.
      const bias = (0.02 * abs(lag - 1.5 * this.#shortest)) / this.#shortest;
      const value = alike(shiftOf(lag)) - bias;
      if (value > score) {
        score = value;
        best = lag;
      }
    }
    const shift = shiftOf(best);
    const offset = own > 1e-12 ? refine(alike, shift) : 0;
    const value = max(0, min(1, alike(shift)));
    return { lag: best - direction * offset, likeness: value, score };
  }

  #correlate(region: Float32Array, current: Float32Array): void {
    this.#fft.forward(region, this.#region);
    this.#fft.forward(current, this.#current);
    const a = this.#region;
    const b = this.#current;
    for (let k = 0; k < a.length; k += 2) {
      this.#product[k] = a[k] * b[k] + a[k + 1] * b[k + 1];
      this.#product[k + 1] = a[k + 1] * b[k] - a[k] * b[k + 1];
    }
    this.#fft.inverse(this.#product, this.#correlation);
  }
}

/** Frames kept on both sides of the searched region, so that a peak at its end can be refined. */
const edge = 16;
const grid = 16;

/** Where between −1 and 1 frame round `shift` the correlation peaks: band-limited interpolation, then a parabola. */
function refine(alike: (shift: number) => number, shift: number): number {
  const taps = 16;
  const values = Array.from({ length: 2 * grid + 1 }, (_, n) => {
    const offset = n / grid - 1;
    const whole = floor(offset);
    const weights = interpolationWeights(offset - whole, taps);
    let sum = 0;
    for (let k = 0; k < taps; k++) sum += weights[k] * alike(shift + whole + k - taps / 2 + 1);
    return sum;
  });
  let best = grid;
  for (let n = 1; n < 2 * grid; n++) if (values[n] > values[best]) best = n;
  return best / grid - 1 + parabolaPeak(values[best - 1], values[best], values[best + 1]) / grid;
}

function runningEnergy(samples: Float32Array, window: number): Float64Array {
  const energies = new Float64Array(samples.length);
  let sum = 0;
  for (let n = samples.length - 1; n >= 0; n--) {
    sum += samples[n] * samples[n];
    if (n + window < samples.length) sum -= samples[n + window] * samples[n + window];
    energies[n] = sum > 0 ? sum : 0;
  }
  return energies;
}

/** Index of the segment that is current at voice time `time`. */
export function segmentAt(plan: SplicePlan, time: number): number {
  let low = 0;
  let high = plan.starts.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (plan.starts[middle] <= time) low = middle;
    else high = middle - 1;
  }
  return low;
}

/** No kind of tuner wanders further than its window, in ms: half of it as a rule, more where only a longer jump is good. */
export const longestWanderMs = max(...Object.values(spliceStyles).map(({ windowMs }) => windowMs));

/** The largest distance of the reading from its place, in frames: how far the voice wanders early and late. */
export function splicedWander(plan: SplicePlan, frames: number): number {
  const known = wanders.get(plan);
  if (known !== undefined) return known;
  let widest = 0;
  for (let k = 0; k < plan.starts.length; k++) {
    const end = k + 1 < plan.starts.length ? plan.starts[k + 1] : (plan.coarseTo ?? frames);
    const from = plan.positions[k] - plan.starts[k];
    const to = from + (plan.ratio - 1) * (end - plan.starts[k]);
    widest = max(widest, abs(from), abs(to));
  }
  wanders.set(plan, widest);
  return widest;
}

/** A plan has thousands of splices, and is asked about with each step of a drag. */
const wanders = new WeakMap<SplicePlan, number>();
