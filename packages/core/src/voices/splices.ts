import { parabolaPeak } from '../measurement/sides.ts';
import { interpolationWeights } from '../signal/sinc.ts';
import { nextPowerOfTwo, RealFft } from '../signal/spectrum.ts';

const { abs, sqrt } = Math;

/**
 * How a tuned voice reads its take: straight lines a little faster or slower than time, joined by splices that put it
 * back near its place. Segment k reads source position `positions[k] + ratio·(t − starts[k])` from voice time
 * `starts[k]` on; for `crossfadeFrames` from there it fades in over segment k − 1.
 */
export interface SplicePlan {
  readonly ratio: number;
  readonly crossfadeFrames: number;
  readonly starts: Float64Array;
  readonly positions: Float64Array;
  /** How alike the two readings of the splice at the segment's start are, 0 to 1: the crossfade's gain depends on it. */
  readonly likeness: Float64Array;
}

/** The widest wander of a single line from its place is half of this, as a rule. */
export const singleLineWindowMs = 20;
/** Places at which a splice is tried before the best one is taken. */
const tries = 3;
/** Under this likeness a longer jump is looked for: a tone below some 60 Hz needs one. */
const goodLikeness = 0.9;

export interface SpliceRequest {
  /** Frequency ratio, 0.97 to 1.03 for the fine range. */
  readonly ratio: number;
  readonly rateHz: number;
  /** Length of the source. */
  readonly frames: number;
  /** `count` frames from `start`, silence outside. */
  readonly read: (start: number, count: number) => Promise<Float32Array>;
}

/**
 * Plans the splices of a single line ahead for a whole take. Each is put where, and jumps by how much, the normalised
 * correlation of what was and what will be read is highest; the lag is refined to fractions of a sample.
 */
export async function planSplices(request: SpliceRequest): Promise<SplicePlan> {
  const { ratio, rateHz, frames, read } = request;
  const reach = Math.round((singleLineWindowMs * rateHz) / 2000);
  const crossfadeFrames = reach;
  const starts = [0];
  const positions = [0];
  const likeness = [1];
  const slope = ratio - 1;
  if (slope !== 0) {
    const direction = Math.sign(slope);
    const search = new LagSearch(crossfadeFrames, reach);
    for (;;) {
      const start = starts[starts.length - 1];
      const position = positions[positions.length - 1];
      /** When the reading is `distance` away from its place. */
      const timeAt = (distance: number) =>
        Math.ceil(start + (direction * distance - (position - start)) / slope);
      const first = Math.max(timeAt(reach / 2), start + crossfadeFrames);
      if (first >= frames) break;
      const last = Math.max(first, timeAt(reach));
      let best: Splice | undefined;
      for (const longest of [reach, 3 * reach]) {
        for (let n = 0; n < tries; n++) {
          const time = Math.round(first + ((last - first) * n) / (tries - 1));
          const place = position + ratio * (time - start);
          const wander = Math.abs(place - time);
          const found = await search.at(read, place, direction, wander + longest);
          if (!best || found.score > best.score) best = { ...found, time, place };
        }
        if (best && best.likeness >= goodLikeness) break;
      }
      if (!best) throw new Error('A splice search always finds a lag.');
      starts.push(best.time);
      positions.push(best.place - direction * best.lag);
      likeness.push(best.likeness);
    }
  }
  return {
    ratio,
    crossfadeFrames,
    starts: Float64Array.from(starts),
    positions: Float64Array.from(positions),
    likeness: Float64Array.from(likeness),
  };
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
    const whole = Math.floor(place);
    const limit = Math.min(Math.floor(longest), this.#span);
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
    const value = Math.max(0, Math.min(1, alike(shift)));
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
    const whole = Math.floor(offset);
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

/** The largest distance of the reading from its place, in frames: how far the voice wanders early and late. */
export function splicedWander(plan: SplicePlan, frames: number): number {
  let widest = 0;
  for (let k = 0; k < plan.starts.length; k++) {
    const end = k + 1 < plan.starts.length ? plan.starts[k + 1] : frames;
    const from = plan.positions[k] - plan.starts[k];
    const to = from + (plan.ratio - 1) * (end - plan.starts[k]);
    widest = Math.max(widest, Math.abs(from), Math.abs(to));
  }
  return widest;
}
