import { takeApart } from '../signal/pair-blocks.ts';
import type { movingPhases } from '../signal/sinc.ts';
import { movingTable, movingTaps } from '../signal/sinc.ts';
import { fftOf, hannWindow, nextPowerOfTwo } from '../signal/spectrum.ts';

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
  const vocoder = new Vocoder(size);
  const back = window.map((weight) => weight * overlapGain);
  const add = (frame: readonly number[], part: 0 | 1, centre: number) => {
    const at = centre - half - stretchedFrom;
    const end = min(size, stretched.length - at);
    for (let n = max(0, -at); n < end; n++) stretched[at + n] += frame[2 * n + part] * back[n];
  };
  const first = (boundary: number) => ceil(((boundary - before) * ratio) / hop);
  const own = first(from);
  const next = first(to);
  const last = ceil((to * ratio + half) / hop);
  const glideFrom = to - before;
  const glideFrames = max(1, before - 2 * size);
  // Two windows go back through one transform.
  let waiting: { readonly spectrum: Float64Array; readonly centre: number } | null = null;
  for (let k = own; k <= last; k++) {
    const centre = k * hop;
    const place = round(centre / ratio);
    vocoder.read(input, place - half - start, hop, window);
    const done = (centre / ratio - glideFrom) / glideFrames;
    const share = k < next ? 0 : smooth(max(0, min(1, done)));
    const spectrum = vocoder.go(k === own, k === next, k >= next, share);
    if (!waiting) {
      waiting = { spectrum: spectrum.slice(), centre };
      if (k < last) continue;
    }
    const frames = vocoder.back(waiting.spectrum, spectrum);
    add(frames, 0, waiting.centre);
    if (waiting.centre !== centre) add(frames, 1, centre);
    waiting = null;
  }
  return resampled(stretched, from * ratio - stretchedFrom, ratio, to - from);
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

/** The spectra of one stretch, window by window; bins 0 to size/2, re and im interleaved. */
class Vocoder {
  readonly #size: number;
  readonly #packed: number[];
  readonly #whole: number[];
  readonly #back: number[];
  /** Of the window at the place, and of that a hop before it. */
  readonly #here: Float64Array;
  readonly #earlier: Float64Array;
  /** What is sounded: of this stretch, of the one that follows, each with what it was a hop ago, and what goes from one to the other. */
  readonly #own: Turned;
  readonly #next: Turned;
  readonly #sounded: Float64Array;
  /** By which angle the following stretch is ahead, bin by bin: it goes on from window to window without a jump. */
  readonly #apart: Float64Array;
  readonly #power: Float64Array;

  constructor(size: number) {
    const fft = fftOf(size);
    this.#size = size;
    this.#packed = new Array<number>(2 * size).fill(0);
    this.#whole = fft.createComplexArray();
    this.#back = fft.createComplexArray();
    const spectrum = () => new Float64Array(size + 2);
    this.#here = spectrum();
    this.#earlier = spectrum();
    this.#own = { now: spectrum(), before: spectrum() };
    this.#next = { now: spectrum(), before: spectrum() };
    this.#sounded = spectrum();
    this.#apart = new Float64Array(size / 2 + 1);
    this.#power = new Float64Array(size / 2 + 1);
  }

  /** Transforms the window that begins at `at` of the input, and that a hop before: one as real, one as imaginary part. */
  read(input: Float32Array, at: number, hop: number, window: Float64Array): void {
    const size = this.#size;
    const packed = this.#packed;
    if (at < hop || at + size > input.length) {
      for (let n = 0; n < size; n++) {
        packed[2 * n] = (input[at + n] ?? 0) * window[n];
        packed[2 * n + 1] = (input[at + n - hop] ?? 0) * window[n];
      }
    } else {
      const before = at - hop;
      for (let n = 0; n < size; n++) {
        const weight = window[n];
        packed[2 * n] = input[at + n] * weight;
        packed[2 * n + 1] = input[before + n] * weight;
      }
    }
    const z = this.#whole;
    fftOf(size).transform(z, packed);
    const here = this.#here;
    takeApart(z, size, { first: here, second: this.#earlier });
    const power = this.#power;
    for (let bin = 0; bin < power.length; bin++) {
      const re = here[2 * bin];
      const im = here[2 * bin + 1];
      power[bin] = re * re + im * im;
    }
  }

  /**
   * Goes on by one window.
   * @param begins whether the stretch begins here; `follows` the next one
   * @param gliding whether the next one has begun
   * @param share how far the phases have gone over to its
   */
  go(begins: boolean, follows: boolean, gliding: boolean, share: number): Float64Array {
    for (const turned of [this.#own, this.#next])
      [turned.now, turned.before] = [turned.before, turned.now];
    if (begins) this.#own.before.set(this.#earlier);
    if (follows) {
      this.#next.before.set(this.#earlier);
      this.#apart.fill(0);
    }
    let from = 0;
    const bins = this.#power.length;
    while (from < bins) {
      const peak = this.#peakFrom(from);
      const to = this.#valleyAfter(peak);
      this.#turn(this.#own, peak, from, to);
      if (gliding) {
        this.#turn(this.#next, peak, from, to);
        this.#glide(peak, from, to, share, follows);
      } else this.#sounded.set(this.#own.now.subarray(2 * from, 2 * to), 2 * from);
      from = to;
    }
    return this.#sounded;
  }

  /** The next bin that is higher than two on either side. */
  #peakFrom(from: number): number {
    const power = this.#power;
    const last = power.length - 1;
    for (let bin = max(from, 2); bin <= last - 2; bin++) {
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

  /** The bin after the lowest one between this peak and the next. */
  #valleyAfter(peak: number): number {
    const power = this.#power;
    const last = power.length - 1;
    const next = peak >= last - 2 ? last : this.#peakFrom(peak + 1);
    if (next >= last) return power.length;
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

  /** Two windows out of their spectra: re and im of what is given back. */
  back(first: Float64Array, second: Float64Array): number[] {
    const size = this.#size;
    const whole = this.#whole;
    for (let k = 2; k < size; k += 2) {
      const mirror = 2 * size - k;
      whole[k] = first[k] - second[k + 1];
      whole[k + 1] = first[k + 1] + second[k];
      whole[mirror] = first[k] + second[k + 1];
      whole[mirror + 1] = second[k] - first[k + 1];
    }
    whole[0] = first[0];
    whole[1] = second[0];
    whole[size] = first[size];
    whole[size + 1] = second[size];
    fftOf(size).inverseTransform(this.#back, whole);
    return this.#back;
  }
}
