import type { AnySound, RoomSound } from './room.ts';

/** How long something takes to die away, and what shares of that lows and highs have. */
type Decaying = Pick<AnySound, 'decayS' | 'lowPercent' | 'highPercent'>;

const { exp, hypot, log10, PI, tan, cos, sin } = Math;

/** Below and above these, lows and highs decay by their own shares. */
export const lowHz = 250;
export const highHz = 4000;

/**
 * What a line loses each time round: a gain and two shelves of first order in one section of second order. Losses in dB are as long as the line is, so that
 * all lines die away together (Jot and Chaigne, AES 90th Convention, 1991).
 */
export interface Absorption {
  readonly b0: number;
  readonly b1: number;
  readonly b2: number;
  readonly a1: number;
  readonly a2: number;
}

/** A shelf of first order: `dc` at 0 Hz, `top` at half the rate, halfway (in dB) at `hz`. */
function shelf(dc: number, top: number, hz: number, rateHz: number) {
  const w = tan((PI * Math.min(hz, 0.45 * rateHz)) / rateHz);
  const root = (dc / top) ** 0.5;
  // (top·s + dc·w/√…): so that the two corners lie at equal distance about hz.
  const zero = w * root;
  const pole = w / root;
  const a0 = 1 + pole;
  return {
    b0: (top * (1 + zero)) / a0,
    b1: (top * (zero - 1)) / a0,
    a1: (pole - 1) / a0,
  };
}

/** Decay in s of the lowest, middle and highest frequencies. */
export function decays({ decayS, lowPercent, highPercent }: Decaying) {
  return {
    low: (decayS * lowPercent) / 100,
    middle: decayS,
    high: (decayS * highPercent) / 100,
  };
}

/** First reflections come no later than this, in s, whatever the size. */
const latestReflectionS = 0.15;
/** Decay is the time to −60 dB; of a short one more than what went in may come out at first. */
const toNothing = 2.25;

/** How long a room remembers what went in, to −120 dB, in s; its pre-delay not counted. */
export function memoryS(sound: RoomSound): number {
  const { low, middle, high } = decays(sound);
  return toNothing * Math.max(low, middle, high) + latestReflectionS;
}

/** A shelf takes away no more than 80 dB at once. */
const least = 1e-4;

/** Of a line of so many frames. */
export function absorptionOf(sound: Decaying, frames: number, rateHz: number): Absorption {
  const gain = (decayS: number) => exp((-Math.LN10 * 3 * frames) / (decayS * rateHz));
  // What would be less than that is gone after once round; its shelf would ring on for longer than what it takes away.
  const share = (part: number, whole: number) => Math.max(least, part / whole);
  const { low, middle, high } = decays(sound);
  const g = gain(middle);
  const first = shelf(share(gain(low), g), 1, lowHz, rateHz);
  const second = shelf(1, share(gain(high), g), highHz, rateHz);
  return {
    b0: g * first.b0 * second.b0,
    b1: g * (first.b0 * second.b1 + first.b1 * second.b0),
    b2: g * first.b1 * second.b1,
    a1: first.a1 + second.a1,
    a2: first.a1 * second.a1,
  };
}

/** What a room is set to at a frequency, in s: how long it takes to fall by 60 dB, by what its lines lose there. */
export function decayAt(sound: Decaying, hz: number, rateHz: number): number {
  // Any line says the same: what it loses goes with its length.
  const frames = Math.round(0.02 * rateHz);
  const { b0, b1, b2, a1, a2 } = absorptionOf(sound, frames, rateHz);
  const w = (2 * PI * hz) / rateHz;
  const size = (one: number, two: number, three: number) =>
    hypot(one + two * cos(w) + three * cos(2 * w), two * sin(w) + three * sin(2 * w));
  const lossDb = -20 * log10(size(b0, b1, b2) / size(1, a1, a2));
  return (60 * frames) / (lossDb * rateHz);
}
