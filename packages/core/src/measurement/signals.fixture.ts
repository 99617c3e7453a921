import { seededRandom } from '../signal/random.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { sin, round, sqrt, PI } = Math;

/** Synthesised test signals. Levels are dB of full scale for the peak of a sine. */
export function sine(
  hz: number,
  levelDb: number,
  seconds: number,
  rateHz: number,
  phaseDegrees = 0,
): Float32Array {
  const amplitude = 10 ** (levelDb / 20);
  const phase = (phaseDegrees * PI) / 180;
  const samples = new Float32Array(round(seconds * rateHz));
  for (let n = 0; n < samples.length; n++)
    samples[n] = amplitude * sin((2 * PI * hz * n) / rateHz + phase);
  return samples;
}

export function noise(seconds: number, rateHz: number, seed: number, level = 0.2): Float32Array {
  const random = seededRandom(seed);
  const samples = new Float32Array(round(seconds * rateHz));
  for (let n = 0; n < samples.length; n++)
    samples[n] = level * (random() + random() + random() - 1.5);
  return samples;
}

export function joined(...pieces: Float32Array[]): Float32Array {
  const whole = new Float32Array(pieces.reduce((sum, piece) => sum + piece.length, 0));
  let at = 0;
  for (const piece of pieces) {
    whole.set(piece, at);
    at += piece.length;
  }
  return whole;
}

export function delayed(samples: Float32Array, frames: number): Float32Array {
  const late = new Float32Array(samples.length);
  late.set(samples.subarray(0, samples.length - frames), frames);
  return late;
}

/** Root mean square of a stretch. */
export function rms(samples: ArrayLike<number>, from = 0, to = samples.length): number {
  let sum = 0;
  for (let n = from; n < to; n++) sum += samples[n] * samples[n];
  return sqrt(sum / (to - from));
}
