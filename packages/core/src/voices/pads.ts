import { fourfoldFft, type FourfoldFft } from '../signal/fourfold-fft.ts';
import type { movingPhases } from '../signal/sinc.ts';
import { movingTable, movingTaps } from '../signal/sinc.ts';
import { hannWindow, nextPowerOfTwo } from '../signal/spectrum.ts';
import { openRoom, type Room } from '../signal/transforms.ts';

const { ceil, floor, max, min, round, sqrt, atan2, cos, sin, PI } = Math;

/** Windows a third of a second long: partials of a chord lie many bins apart. */
export function padsWindow(rateHz: number): number {
  return nextPowerOfTwo(0.75 * 0.34 * rateHz);
}

/** Windows overlap by three quarters, so that squared Hann windows add up to a constant. */
const overlap = 4;
const overlapGain = 1 / 1.5;
/** A partial that grows by more than this within a hop begins anew, at the phase that it has in the take. */
const onsetPower = 100;

/** What a stretch of tuned sound is made from. */
export interface PadsStretch {
  /** First frame wanted, and the one after the last. */
  readonly from: number;
  readonly to: number;
  /** Frames that the phases run before `from`, from those of the take on. */
  readonly before: number;
}

/** How far outside a stretch it is read, in frames. */
export function padsReach(rateHz: number, ratio: number): number {
  const size = padsWindow(rateHz);
  return ceil((size + movingTaps) * (1 + 1 / min(1, ratio)));
}

/**
 * Tunes steady sounds of many tones: a phase vocoder whose peaks are kept whole (identity phase locking, Laroche and Dolson, "Improved
 * phase vocoder time-scale modification of audio", 1999), which stretches by the ratio, and a reading that is as much faster. By how
 * much a peak's phase goes on is read off two transforms a hop apart (Puckette, "Phase-locked vocoder", 1995), so that no
 * frequency is estimated. It stays in time to the frame: nothing wanders.
 *
 * Phases go on for ever, and a stretch must not depend on what was asked for before it. So each stretch begins with the phases of the
 * take, `before` frames ahead of itself, and on its last `before` frames its phases glide to those that the next stretch, which has
 * begun by then, goes on with: each partial is off by less than a turn in that time.
 *
 * @param input from frame `start` on; what it does not hold is silence
 * @param ratio of frequencies, 0.5 to 2
 */
export function tunePads(
  input: Float32Array,
  start: number,
  { from, to, before }: PadsStretch,
  ratio: number,
  rateHz: number,
): Float32Array {
  const size = padsWindow(rateHz);
  const hop = size / overlap;
  const half = size / 2;
  // In frames of the stretched sound, where windows stand every hop.
  const stretchedFrom = floor(from * ratio) - movingTaps;
  const stretched = new Float64Array(ceil(to * ratio) + movingTaps - stretchedFrom);
  const window = hannWindow(size);
  const back = window.map((weight) => (weight * overlapGain) / size);
  const first = (boundary: number) => ceil(((boundary - before) * ratio) / hop);
  const own = first(from);
  const next = first(to);
  const last = ceil((to * ratio + half) / hop);
  const glideFrom = to - before;
  const glideFrames = max(1, before - 2 * size);
  const placeOf = (k: number) => round((k * hop) / ratio) - half - start;
  const vocoder = new Vocoder(size, window);
  try {
    for (let k = own; k <= last; k++) {
      if ((k - own) % 2 === 0) vocoder.read(input, hop, placeOf(k), placeOf(k + 1));
      const done = ((k * hop) / ratio - glideFrom) / glideFrames;
      const share = k < next ? 0 : smooth(max(0, min(1, done)));
      vocoder.go(k === own, k === next, k >= next, share);
      const count = ((k - own) % 4) + 1;
      const firstAt = (k - count + 1) * hop - half - stretchedFrom;
      // Where phases only run ahead nothing is sounded yet.
      const isHeard = k * hop + half > stretchedFrom;
      if (isHeard && (count === 4 || k === last))
        for (let n = 0; n < count; n++)
          addWindow(stretched, vocoder.sounded(n), back, firstAt + n * hop);
    }
  } finally {
    vocoder.close();
  }
  return resampled(stretched, from * ratio - stretchedFrom, ratio, to - from);
}

/** Adds a window to a sound, at a place, as far as it lies in it. */
function addWindow(
  sound: Float64Array,
  values: Float32Array,
  window: Float64Array,
  at: number,
): void {
  const end = min(window.length, sound.length - at);
  for (let n = max(0, -at); n < end; n++) sound[at + n] += values[n] * window[n];
}

const smooth = (x: number) => x * x * (3 - 2 * x);

/** Reads `values` from `origin` on in steps of `ratio`. */
function resampled(
  values: Float64Array,
  origin: number,
  ratio: number,
  count: number,
): Float32Array {
  const table = movingTable();
  const out = new Float32Array(count);
  // Held to what they are by their types: the compiler does not fold what is imported.
  const phases: typeof movingPhases = 4096;
  const taps: typeof movingTaps = 16;
  for (let n = 0; n < count; n++) {
    const place = origin + ratio * n;
    const at = floor(place);
    const row = (((place - at) * phases + 0.5) | 0) * taps;
    const first = at - taps / 2 + 1;
    let even = 0;
    let odd = 0;
    for (let k = 0; k < taps; k += 2) {
      even += table[row + k] * values[first + k];
      odd += table[row + k + 1] * values[first + k + 1];
    }
    out[n] = even + odd;
  }
  return out;
}

/** A spectrum as it was sounded, and as it was a hop before. */
interface Turned {
  now: Float64Array;
  before: Float64Array;
}

type Four<T> = readonly [T, T, T, T];

function fourOf<T>(make: () => T): Four<T> {
  return [make(), make(), make(), make()];
}

/** The spectra of one stretch, window by window; bins 0 to size/2, re and im interleaved. To be closed by whoever made it. */
class Vocoder {
  readonly #window: Float64Array;
  readonly #fft: FourfoldFft;
  /** Of two windows that follow each other, and of those a hop before each. */
  readonly #read: Four<Room>;
  readonly #spectra: readonly Float64Array[];
  /** What is sounded: of four windows that follow each other, all of one transform. */
  readonly #four: Four<Room>;
  readonly #soundings: readonly Float64Array[];
  #gone = 0;
  #isBack = false;
  /** Of the window at the place, of that a hop before it, and what is sounded of it. */
  #here: Float64Array;
  #earlier: Float64Array;
  #sounded: Float64Array;
  /** What is sounded: of this stretch, of the one that follows, each with what it was a hop ago, and what goes from one to the other. */
  readonly #own: Turned;
  readonly #next: Turned;
  /** By which angle the following stretch is ahead, bin by bin: it goes on from window to window without a jump. */
  readonly #apart: Float64Array;
  readonly #power: Float64Array;

  constructor(size: number, window: Float64Array) {
    this.#window = window;
    this.#fft = fourfoldFft(size);
    const room = () => openRoom(size + 2);
    this.#read = fourOf(room);
    this.#four = fourOf(room);
    // The memory has grown as far as it does here.
    this.#spectra = this.#read.map(({ values }) => values);
    this.#soundings = this.#four.map(({ values }) => values);
    [this.#here, , this.#earlier] = this.#spectra;
    [this.#sounded] = this.#soundings;
    const spectrum = () => new Float64Array(size + 2);
    this.#own = { now: spectrum(), before: spectrum() };
    this.#next = { now: spectrum(), before: spectrum() };
    this.#apart = new Float64Array(size / 2 + 1);
    this.#power = new Float64Array(size / 2 + 1);
  }

  close(): void {
    for (const room of [...this.#read, ...this.#four]) room.close();
  }

  /** Transforms the windows that begin at two places of the input, and those a hop before them. */
  read(input: Float32Array, hop: number, one: number, other: number): void {
    for (const [n, at] of [one, other, one - hop, other - hop].entries())
      this.#fill(this.#fft.signal(n), input, at);
    this.#fft.spectra(this.#read);
  }

  #fill(signal: Float32Array, input: Float32Array, at: number): void {
    const window = this.#window;
    const begin = min(window.length, max(0, -at));
    const end = max(begin, min(window.length, input.length - at));
    signal.fill(0, 0, begin);
    for (let n = begin; n < end; n++) signal[n] = input[at + n] * window[n];
    signal.fill(0, end);
  }

  /** One of the last four windows, `size` times as loud: the first is 0. */
  sounded(n: number): Float32Array {
    if (!this.#isBack) this.#fft.fromSpectra(this.#four);
    this.#isBack = true;
    return this.#fft.signal(n);
  }

  /**
   * Goes on by one window.
   * @param begins whether the stretch begins here; `follows` the next one
   * @param gliding whether the next one has begun
   * @param share how far the phases have gone over to its
   */
  go(begins: boolean, follows: boolean, gliding: boolean, share: number): void {
    const which = this.#gone % 2;
    this.#here = this.#spectra[which];
    this.#earlier = this.#spectra[which + 2];
    this.#sounded = this.#soundings[this.#gone++ % 4];
    this.#isBack = false;
    this.#weigh();
    for (const turned of [this.#own, this.#next])
      [turned.now, turned.before] = [turned.before, turned.now];
    if (begins) this.#own.before.set(this.#earlier);
    if (follows) {
      this.#next.before.set(this.#earlier);
      this.#apart.fill(0);
    }
    const bins = this.#power.length;
    let peak = this.#peakFrom(2);
    for (let from = 0; from < bins;) {
      const following = peak >= bins - 3 ? bins - 1 : this.#peakFrom(peak + 1);
      const to = this.#valleyBetween(peak, following);
      this.#turn(this.#own, peak, from, to);
      if (gliding) {
        this.#turn(this.#next, peak, from, to);
        this.#glide(peak, from, to, share, follows);
      }
      from = to;
      peak = following;
    }
    if (!gliding) this.#sounded.set(this.#own.now);
  }

  #weigh(): void {
    const here = this.#here;
    const power = this.#power;
    for (let bin = 0; bin < power.length; bin++) {
      const re = here[2 * bin];
      const im = here[2 * bin + 1];
      power[bin] = re * re + im * im;
    }
  }

  /** The next bin that is higher than two on either side. */
  #peakFrom(from: number): number {
    const power = this.#power;
    const last = power.length - 1;
    for (let bin = from; bin <= last - 2; bin++) {
      const here = power[bin];
      if (
        here > power[bin - 1] &&
        here >= power[bin + 1] &&
        here > power[bin - 2] &&
        here >= power[bin + 2]
      )
        return bin;
    }
    return last;
  }

  /** The bin after the lowest one between a peak and the next; the end, where there is none. */
  #valleyBetween(peak: number, next: number): number {
    const power = this.#power;
    if (next >= power.length - 1) return power.length;
    let lowest = peak + 1;
    for (let bin = peak + 1; bin < next; bin++) if (power[bin] < power[lowest]) lowest = bin;
    return lowest + 1;
  }

  /** Turns the bins of a peak by one angle: as far as it was turned a hop ago. */
  #turn({ now, before }: Turned, peak: number, from: number, to: number): void {
    const here = this.#here;
    const earlier = this.#earlier;
    let re = 0;
    let im = 0;
    let power = 0;
    const last = this.#power.length - 1;
    for (let bin = max(0, peak - 1); bin <= min(last, peak + 1); bin++) {
      const k = 2 * bin;
      re += before[k] * earlier[k] + before[k + 1] * earlier[k + 1];
      im += before[k + 1] * earlier[k] - before[k] * earlier[k + 1];
      power += earlier[k] * earlier[k] + earlier[k + 1] * earlier[k + 1];
    }
    const size = sqrt(re * re + im * im);
    const fresh = !(size > 0) || power * onsetPower < this.#power[peak];
    re = fresh ? 1 : re / size;
    im = fresh ? 0 : im / size;
    for (let bin = from; bin < to; bin++) {
      const k = 2 * bin;
      now[k] = here[k] * re - here[k + 1] * im;
      now[k + 1] = here[k] * im + here[k + 1] * re;
    }
  }

  /** Sounds the bins of a peak at a phase between that of this stretch and that of the next. */
  #glide(peak: number, from: number, to: number, share: number, follows: boolean): void {
    const own = this.#own.now;
    const next = this.#next.now;
    const k = 2 * peak;
    const re = next[k] * own[k] + next[k + 1] * own[k + 1];
    const im = next[k + 1] * own[k] - next[k] * own[k + 1];
    let angle = atan2(im, re);
    if (!follows) angle += 2 * PI * round((this.#apart[peak] - angle) / (2 * PI));
    const c = cos(angle * share);
    const s = sin(angle * share);
    for (let bin = from; bin < to; bin++) {
      const n = 2 * bin;
      this.#apart[bin] = angle;
      this.#sounded[n] = own[n] * c - own[n + 1] * s;
      this.#sounded[n + 1] = own[n] * s + own[n + 1] * c;
    }
  }
}
