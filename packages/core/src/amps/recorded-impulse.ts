import type { RecordedCabinet } from './amp.ts';
import { besselI0 } from '../signal/sinc.ts';
import { meanLevel } from './cabinet.ts';

const { PI, abs, ceil, floor, max, min, sin, sqrt } = Math;

/** What is under this share of the highest value, before anything reaches it, is silence before the sound: −40 dB, common practice. */
const onsetShare = 0.01;
/** Of the kernel that reads between values, in values of the lower of both rates. */
const arms = 24;
/** Some 80 dB of stop band (Kaiser 1974). */
const beta = 0.1102 * (80 - 8.7);

/** How many values an impulse response of `frames` has once it is stretched by `ratio`. */
export function stretchedFrames(frames: number, ratio: number): number {
  return max(1, ceil(frames * ratio));
}

/**
 * A recorded impulse response as a chain uses it.
 * @param samples as recorded, at the song's rate
 * @param ratio how much higher it is read afterwards: it is stretched by so much, to end where it belongs
 * @returns `stretchedFrames` values; with a ratio of 1, its delay kept and not levelled exactly what was recorded
 */
export function recordedImpulse(
  samples: Float32Array,
  { keepDelay, levelled }: Pick<RecordedCabinet, 'keepDelay' | 'levelled'>,
  rateHz: number,
  ratio = 1,
): Float64Array {
  const begun = new Float64Array(samples.length);
  begun.set(keepDelay ? samples : samples.subarray(onsetOf(samples)));
  const impulse = ratio === 1 ? begun : stretched(begun, ratio);
  if (!levelled) return impulse;
  const level = meanLevel(impulse, rateHz);
  return impulse.map((value) => value / level);
}

/** The first value that is more than silence before the sound. */
function onsetOf(samples: Float32Array): number {
  let peak = 0;
  for (const value of samples) peak = max(peak, abs(value));
  return max(
    0,
    samples.findIndex((value) => abs(value) >= onsetShare * peak),
  );
}

/** The same response at another speed: what passes a frequency is the same, a ratio lower. */
function stretched(samples: Float64Array, ratio: number): Float64Array {
  const out = new Float64Array(stretchedFrames(samples.length, ratio));
  // Shortened, what would lie above half the rate is taken out.
  const cut = min(1, ratio);
  const reach = arms / cut;
  const edge = besselI0(beta);
  for (let n = 0; n < out.length; n++) {
    const at = n / ratio;
    const [first, last] = [max(0, ceil(at - reach)), min(samples.length - 1, floor(at + reach))];
    let sum = 0;
    for (let k = first; k <= last; k++) {
      const away = at - k;
      const x = PI * away * cut;
      const window = besselI0(beta * sqrt(max(0, 1 - (away / reach) ** 2))) / edge;
      sum += samples[k] * (abs(x) < 1e-9 ? 1 : sin(x) / x) * window;
    }
    // Under the stretched sum every frequency is passed as loud as before.
    out[n] = (sum * cut) / ratio;
  }
  return out;
}
