import { Biquad } from '../signal/biquad.ts';
import { highPass, lowPass } from '../signal/filters.ts';
import { ringingOf } from './ringing.ts';
import type { AnySound, Room } from './room.ts';

const rate = 48_000;
const { abs, log10, max } = Math;

interface Return {
  readonly early: readonly [Float64Array, Float64Array];
  readonly late: readonly [Float64Array, Float64Array];
}

/** What comes back of both sides, in quanta. */
export function returned(
  room: AnySound,
  left: Float32Array,
  right: Float32Array,
  frames: number,
  rateHz = rate,
  start = 0,
): Return {
  const ringing = ringingOf(room, rateHz);
  const pair = (count: number) => [new Float64Array(count), new Float64Array(count)] as const;
  const [early, late, input] = [pair(frames), pair(frames), pair(128)];
  for (let at = 0; at + 128 <= frames; at += 128) {
    for (const [n, side] of [left, right].entries()) {
      input[n].fill(0);
      input[n].set(side.subarray(at, at + 128));
    }
    const part = ([l, r]: readonly [Float64Array, Float64Array]) =>
      [l.subarray(at, at + 128), r.subarray(at, at + 128)] as const;
    ringing.process(input[0], input[1], part(early), part(late), 128, start + at);
  }
  return { early, late };
}

export const impulse = Float32Array.of(1);
export const nothing = new Float32Array(0);

/** Fourth-order Butterworth on either side of an octave; IEC 61260 asks for no less steep. */
export function octave(samples: Float64Array, hz: number, rateHz = rate): Float64Array {
  const out = Float64Array.from(samples);
  for (const q of [0.5412, 1.3066]) {
    new Biquad(highPass(hz / Math.SQRT2, q, rateHz)).process(out, out, out.length);
    new Biquad(lowPass(hz * Math.SQRT2, q, rateHz)).process(out, out, out.length);
  }
  return out;
}

/**
 * T30 as ISO 3382-1 says: decay curves by backward integration (Schroeder, J. Acoust. Soc. Am. 37, 1965), those of several ways through the room averaged, the
 * straight line through −5 to −35 dB of it, to 60 dB. With how far the curve strays from that line, in dB.
 */
export function t30(
  responses: readonly Float64Array[],
  rateHz = rate,
  every = Math.round(rateHz / 100),
): { readonly seconds: number; readonly strays: number } {
  const curve: number[] = [];
  let sum = 0;
  for (let n = responses[0].length - 1; n >= 0; n--) {
    for (const response of responses) sum += response[n] ** 2;
    if (n % every === 0) curve.push(sum);
  }
  const points = curve
    .reverse()
    .map((value, n) => ({ s: (n * every) / rateHz, db: 10 * log10(value / curve[0]) }))
    .filter(({ db }) => db <= -5 && db >= -35);
  const mean = (of: (point: { s: number; db: number }) => number) =>
    points.reduce((total, point) => total + of(point), 0) / points.length;
  const [s, db] = [mean((point) => point.s), mean((point) => point.db)];
  const slope =
    mean((point) => (point.s - s) * (point.db - db)) / mean((point) => (point.s - s) ** 2);
  const strays = max(...points.map((point) => abs(point.db - db - slope * (point.s - s))));
  return { seconds: -60 / slope, strays };
}

/** All ways through a room: from each side to each. */
export function ways(room: Room, seconds: number, rateHz = rate): Float64Array[] {
  const frames = Math.ceil(seconds * rateHz);
  return [
    ...returned(room, impulse, nothing, frames, rateHz).late,
    ...returned(room, nothing, impulse, frames, rateHz).late,
  ];
}

export const power = (samples: Float64Array, from = 0) =>
  samples.subarray(from).reduce((sum, value) => sum + value * value, 0);
