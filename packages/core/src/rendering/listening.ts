import { Biquad, type BiquadCoefficients } from '../signal/biquad.ts';
import { bell, highPass, lowPass } from '../signal/filters.ts';
import { delayTaps, interpolationWeights } from '../signal/sinc.ts';
import { Glide } from './glide.ts';
import { quantumFrames } from './quantum.ts';

const { cos, PI, ceil, tan } = Math;

export const listenings = [
  'stereo',
  'fold',
  'difference',
  'left',
  'right',
  'swapped',
  'phone',
  'headphones',
] as const;

/** In which way the sum of all that sounds is heard. */
export type Listening = (typeof listenings)[number];

/** L' = ll·L + lr·R, R' = rl·L + rr·R, and how much of what the two models make is added. */
interface Mix {
  readonly ll: number;
  readonly lr: number;
  readonly rl: number;
  readonly rr: number;
  readonly phone: number;
  readonly headphones: number;
}

const none: Mix = { ll: 0, lr: 0, rl: 0, rr: 0, phone: 0, headphones: 0 };

/** The fold is played on both speakers, as one speaker plays it; L and R stay on their sides. */
const mixes: Readonly<Record<Listening, Mix>> = {
  stereo: { ...none, ll: 1, rr: 1 },
  fold: { ...none, ll: 0.5, lr: 0.5, rl: 0.5, rr: 0.5 },
  difference: { ...none, ll: 0.5, lr: -0.5, rl: 0.5, rr: -0.5 },
  left: { ...none, ll: 1 },
  right: { ...none, rr: 1 },
  swapped: { ...none, lr: 1, rl: 1 },
  phone: { ...none, phone: 1 },
  headphones: { ...none, headphones: 1 },
};

/** Turns what sounds into what is heard, in place; changes glide over 20 ms. */
export class Ears {
  readonly #mix: Glide<Mix>;
  readonly #phone: SmallSpeaker;
  readonly #headphones: PairOfSpeakers;
  readonly #phoneOut = new Float64Array(quantumFrames);
  readonly #leftEar = new Float64Array(quantumFrames);
  readonly #rightEar = new Float64Array(quantumFrames);

  constructor(rateHz: number) {
    this.#mix = new Glide(rateHz, mixes.stereo, (a, b) => a === b);
    this.#phone = new SmallSpeaker(rateHz);
    this.#headphones = new PairOfSpeakers(rateHz);
  }

  aim(listening: Listening): void {
    this.#mix.aim(mixes[listening]);
  }

  settle(): void {
    this.#mix.settle();
  }

  process(left: Float32Array, right: Float32Array): void {
    const glide = this.#mix;
    const { from, to, moving } = glide;
    const phone = from.phone !== 0 || to.phone !== 0;
    const headphones = from.headphones !== 0 || to.headphones !== 0;
    if (phone) this.#phone.process(left, right, this.#phoneOut);
    if (headphones) this.#headphones.process(left, right, this.#leftEar, this.#rightEar);
    glide.begin();
    for (let n = 0; n < quantumFrames; n++) {
      const w = moving ? glide.weights[n] : 1;
      const l = left[n];
      const r = right[n];
      let leftOut = (from.ll + (to.ll - from.ll) * w) * l + (from.lr + (to.lr - from.lr) * w) * r;
      let rightOut = (from.rl + (to.rl - from.rl) * w) * l + (from.rr + (to.rr - from.rr) * w) * r;
      if (phone) {
        const add = (from.phone + (to.phone - from.phone) * w) * this.#phoneOut[n];
        leftOut += add;
        rightOut += add;
      }
      if (headphones) {
        const share = from.headphones + (to.headphones - from.headphones) * w;
        leftOut += share * this.#leftEar[n];
        rightOut += share * this.#rightEar[n];
      }
      left[n] = leftOut;
      right[n] = rightOut;
    }
    glide.end();
  }
}

/**
 * The fold through one small speaker: nothing to speak of under 400 Hz, a presence, a soft top. Common practice; the
 * figures stand for no particular one.
 */
class SmallSpeaker {
  readonly #filters: readonly Biquad[];

  constructor(rateHz: number) {
    // Two sections of a fourth-order Butterworth high-pass.
    this.#filters = [
      highPass(400, 0.5412, rateHz),
      highPass(400, 1.3066, rateHz),
      bell(2800, 4, 0.9, rateHz),
      lowPass(11_000, Math.SQRT1_2, rateHz),
    ].map((section: BiquadCoefficients) => new Biquad(section));
  }

  process(left: Float32Array, right: Float32Array, output: Float64Array): void {
    for (let n = 0; n < quantumFrames; n++) output[n] = (left[n] + right[n]) / 2;
    for (const filter of this.#filters) filter.process(output, output, quantumFrames);
  }
}

/** Radius of the head, m; speed of sound, m/s. */
const headRadius = 0.0875;
const soundSpeed = 343;
/** Least high-frequency gain of the head's shadow, and the angle at which it lies (degrees). */
const shadowLeast = 0.1;
const shadowAngle = 150;
/** Angles between an ear's axis and the two speakers of a pair at ±30°. */
const nearAngle = 60;
const farAngle = 120;

/** Gain at high frequencies for sound that comes at `degrees` from the ear's axis. */
function shadowGain(degrees: number): number {
  return 1 + shadowLeast / 2 + (1 - shadowLeast / 2) * cos((degrees / shadowAngle) * PI);
}

/** (αs + β)/(s + β) with β = 2c/a, bilinear. */
function shadow(degrees: number, rateHz: number): BiquadCoefficients {
  const alpha = shadowGain(degrees);
  const beta = (2 * soundSpeed) / headRadius;
  // Warped so that the corner stays where it is.
  const k = beta / tan(beta / (2 * rateHz));
  const a0 = k + beta;
  return {
    b0: (alpha * k + beta) / a0,
    b1: (beta - alpha * k) / a0,
    b2: 0,
    a1: (beta - k) / a0,
    a2: 0,
  };
}

/** By how much later sound is at the far ear, in seconds: Woodworth's formula for both ears, apart. */
export const farEarLaterSeconds =
  (headRadius / soundSpeed) * ((farAngle * PI) / 180 - PI / 2 + cos((nearAngle * PI) / 180));

/**
 * Headphones as a pair of loudspeakers in a plain room without echoes: each ear hears the other side as well, later and in the
 * shadow of the head.
 * Source: the structural model of Brown and Duda, IEEE Transactions on Speech and Audio Processing 6 (1998), head shadow and
 * delay; its figures from memory.
 */
class PairOfSpeakers {
  readonly #near: readonly Biquad[];
  readonly #far: readonly Biquad[];
  readonly #weights: Float64Array;
  readonly #whole: number;
  readonly #history: readonly Float64Array[];
  readonly #direct = new Float64Array(quantumFrames);
  readonly #crossed = new Float64Array(quantumFrames);

  constructor(rateHz: number) {
    const delay = farEarLaterSeconds * rateHz;
    const whole = ceil(delay);
    // At low rates the interpolator has fewer taps, so that it need not look ahead.
    const taps = Math.min(delayTaps / 2, 2 * (whole - 1));
    this.#whole = whole;
    this.#weights = interpolationWeights(whole - delay, taps);
    const length = quantumFrames + whole + taps;
    this.#history = [new Float64Array(length), new Float64Array(length)];
    this.#near = [0, 1].map(() => new Biquad(shadow(nearAngle, rateHz)));
    this.#far = [0, 1].map(() => new Biquad(shadow(farAngle, rateHz)));
  }

  process(
    left: Float32Array,
    right: Float32Array,
    leftEar: Float64Array,
    rightEar: Float64Array,
  ): void {
    this.#hear(0, left, right, leftEar);
    this.#hear(1, right, left, rightEar);
  }

  #hear(ear: 0 | 1, own: Float32Array, other: Float32Array, output: Float64Array): void {
    this.#near[ear].process(own, this.#direct, quantumFrames);
    this.#late(this.#history[ear], other);
    this.#far[ear].process(this.#crossed, this.#crossed, quantumFrames);
    // Both speakers together are as loud as one source in the middle.
    for (let n = 0; n < quantumFrames; n++) output[n] = (this.#direct[n] + this.#crossed[n]) / 2;
  }

  /** The other side at the time at which the far ear hears it. */
  #late(history: Float64Array, other: Float32Array): void {
    history.copyWithin(0, quantumFrames);
    const now = history.length - quantumFrames;
    for (let n = 0; n < quantumFrames; n++) history[now + n] = other[n];
    const weights = this.#weights;
    const taps = weights.length;
    const start = now - this.#whole - taps / 2 + 1;
    for (let n = 0; n < quantumFrames; n++) {
      let sum = 0;
      for (let k = 0; k < taps; k++) sum += weights[k] * history[start + n + k];
      this.#crossed[n] = sum;
    }
  }
}
