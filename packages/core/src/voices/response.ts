import { nextPowerOfTwo } from '../signal/spectrum.ts';
import type { Complex } from '../signal/long-fir.ts';
import { tiltPivotHz } from './tone.ts';

const { PI, cos, sin, log2, round, max, min } = Math;

/**
 * What is done to a voice by frequency without moving it in time: the application owns the file, so these filters look as
 * far ahead as behind, and what they leave alone they leave in place.
 */
export interface Response {
  /** One half of a split at a corner; both halves add up to what was split. */
  readonly split?: {
    readonly hz: number;
    readonly part: 'low' | 'high';
    /** By so many frames the voice comes after the one that carries the low end. */
    readonly laterFrames: number;
  };
  /** Darker or brighter, turned about 1 kHz. */
  readonly tiltDb?: number;
  /** One of two sides that are at most so many degrees apart. */
  readonly spread?: { readonly degrees: number; readonly side: 1 | -1 };
  /** Everything above is taken out, before a voice is read faster. */
  readonly highestHz?: number;
}

/** Power of the split's slope: 8th order, 48 dB an octave, −6 dB at the corner in both halves. */
const splitOrder = 8;

/** The low half of a split; the high half is what is left. */
export function lowShare(hz: number, cornerHz: number): number {
  return 1 / (1 + (hz / cornerHz) ** splitOrder);
}

/** From here on, in corners, a late voice is as late as it should be; below the first it is not late at all. */
const setsInFrom = 1.5;
const setsInTo = 3;
/** Later than this it is heard as an event of its own, not as one half of a junction. */
const latestToJoinMs = 40;

/**
 * How many cycles a late voice lies behind at a frequency, of which the delay itself makes `hz · τ`: none round the
 * corner, where it has to meet the low end in phase; the whole delay from three corners on. Whole cycles do not count,
 * so between it turns by no more than it must.
 */
export function cyclesLate(hz: number, cornerHz: number, delaySeconds: number): number {
  const place = (log2(hz / cornerHz) - log2(setsInFrom)) / (log2(setsInTo) - log2(setsInFrom));
  if (place >= 1) return hz * delaySeconds;
  if (place <= 0) return 0;
  const weight = 0.5 - 0.5 * cos(PI * place);
  const middleHz = cornerHz * Math.sqrt(setsInFrom * setsInTo);
  const whole = round(middleHz * delaySeconds);
  return weight * (hz * delaySeconds - whole);
}

/** The phase of a spread side swings once an octave, and ever less below this, so that the low end keeps together. */
const spreadFromHz = 150;

/** Half the difference between the sides at a frequency, in radians. */
export function spreadPhase(hz: number, degrees: number): number {
  if (hz <= 0) return 0;
  const rise = min(1, max(0, log2(hz / spreadFromHz)));
  return ((degrees * PI) / 360) * rise * sin(2 * PI * log2(hz / 1000));
}

/** Level of a tilt in dB: half of it in the far lows and highs each, over some four octaves. */
export function tiltAtDb(hz: number, tiltDb: number): number {
  const r = (hz / tiltPivotHz) ** 2;
  return (tiltDb / 2) * ((r - 1) / (r + 1));
}

export function responseAt(response: Response, hz: number, rateHz: number): Complex {
  let size = 1;
  let phase = 0;
  const { split, tiltDb, spread, highestHz } = response;
  if (split) {
    const low = lowShare(hz, split.hz);
    size *= split.part === 'low' ? low : 1 - low;
    const seconds = split.laterFrames / rateHz;
    if (split.part === 'high' && Math.abs(seconds) * 1000 <= latestToJoinMs)
      phase += 2 * PI * (hz * seconds - cyclesLate(hz, split.hz, seconds));
  }
  if (tiltDb) size *= 10 ** (tiltAtDb(hz, tiltDb) / 20);
  if (spread) phase += spread.side * spreadPhase(hz, spread.degrees);
  if (highestHz !== undefined) size *= fallOff(hz / highestHz);
  return { re: size * cos(phase), im: size * sin(phase) };
}

/** 1 up to 0.9 of the edge, 0 from the edge on. */
function fallOff(share: number): number {
  if (share <= 0.9) return 1;
  if (share >= 1) return 0;
  return 0.5 + 0.5 * cos((PI * (share - 0.9)) / 0.1);
}

/** Frames to either side that the filters of responses reach: 171 ms at 48 kHz, the same at other rates or a little more. */
export function responseHalf(rateHz: number): number {
  return nextPowerOfTwo((8192 * rateHz) / 48_000);
}
