import { gainToDb, type Db } from '../quantities/units.ts';
import { interpolationWeights } from '../signal/sinc.ts';
import { openRoom, transforms } from '../signal/transforms.ts';

const { abs, max, min } = Math;

const taps = 16;
const half = taps / 2;
/** So many values at once lie in the transforms' memory, with those before them, and nothing behind them as far as two pieces look. */
const stretchFrames = 8192;
const padding = 96;
const joined = openRoom((stretchFrames + padding) / 2);
const weights = openRoom(3 * half);

/**
 * The highest value of the waveform between the samples, by oversampling with a polyphase filter: four times below
 * 88.2 kHz, twice above.
 * Source: ITU-R BS.1770-5 annex 2 (its 48-tap filter is an example; this one has 16 taps a phase).
 */
export class TruePeakMeter {
  /** Of the phases ¼ and ¾, which mirror each other, tap by tap from the ends to the middle: sum and difference; and of the phase ½, which mirrors itself. */
  readonly #weights: Float64Array;
  /** No interpolated value can exceed the nearer of its neighbours times the one, plus the largest sample under the filter times the other. */
  readonly #nearWeight: number;
  readonly #farWeight: number;
  readonly #tails: readonly Float32Array[];
  #samplePeak = 0;
  #truePeak = 0;

  constructor(rateHz: number, channels: number) {
    const middle = interpolationWeights(0.5, taps);
    // At high rates the point between two samples is enough; its filter stands in for all three.
    const quarter = rateHz < 88_200 ? interpolationWeights(0.25, taps) : middle;
    this.#weights = new Float64Array(3 * half);
    for (let k = 0; k < half; k++) {
      this.#weights[k] = quarter[k] + quarter[taps - 1 - k];
      this.#weights[half + k] = quarter[k] - quarter[taps - 1 - k];
      this.#weights[2 * half + k] = middle[k];
    }
    const near = (weights: Float64Array) => abs(weights[half - 1]) + abs(weights[half]);
    const whole = (weights: Float64Array) => weights.reduce((s, w) => s + abs(w), 0);
    this.#nearWeight = max(near(quarter), near(middle));
    this.#farWeight = max(whole(quarter) - near(quarter), whole(middle) - near(middle));
    this.#tails = Array.from({ length: channels }, () => new Float32Array(taps - 1));
  }

  process(channels: readonly Float32Array[], count: number): void {
    weights.values.set(this.#weights);
    for (const [channel, tail] of this.#tails.entries())
      for (let from = 0; from < count; from += stretchFrames)
        this.#scan(channels[channel].subarray(from, min(count, from + stretchFrames)), tail);
  }

  /** @param tail what came before it; becomes what comes before the next */
  #scan(samples: Float32Array, tail: Float32Array): void {
    const count = samples.length;
    const all = joined.singles;
    all.set(tail);
    all.set(samples, tail.length);
    const padded = count + padding;
    all.fill(0, tail.length + count, padded);
    // In fours; nothing behind the last is no peak.
    this.#samplePeak = max(this.#samplePeak, transforms.largest(joined.at, padded & ~3));
    const [by, near, far] = [weights.at, this.#nearWeight, this.#farWeight];
    this.#truePeak = transforms.highestBetween(by, near, far, joined.at, count, this.#truePeak);
    tail.set(all.subarray(count, count + tail.length));
  }

  samplePeakDbfs(): Db {
    return gainToDb(this.#samplePeak);
  }

  truePeakDbtp(): Db {
    return gainToDb(max(this.#samplePeak, this.#truePeak));
  }
}
