import { seededRandom } from '../signal/random.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { ceil, cos, log2, log10, sin, round, sqrt, PI } = Math;

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

/** Energy outside a band against the whole, in dB, by one Hann-windowed transform over all of it. */
export function outsideDb(
  samples: Float32Array,
  rateHz: number,
  lowHz: number,
  highHz: number,
): number {
  const size = 2 ** ceil(log2(samples.length));
  const re = new Float64Array(size);
  const im = new Float64Array(size);
  for (let n = 0; n < samples.length; n++)
    re[n] = samples[n] * (0.5 - 0.5 * cos((2 * PI * n) / samples.length));
  transform(re, im);
  let inside = 0;
  let outside = 0;
  for (let k = 0; k < size / 2; k++) {
    const power = re[k] * re[k] + im[k] * im[k];
    const hz = (k * rateHz) / size;
    if (hz >= lowHz && hz <= highHz) inside += power;
    else outside += power;
  }
  return 10 * log10(outside / (inside + outside));
}

/** Radix-2 transform in place; the test's own, so that the engine is not judged by its own tools. */
function transform(re: Float64Array, im: Float64Array): void {
  const size = re.length;
  for (let n = 1, m = 0; n < size; n++) {
    let bit = size >> 1;
    for (; m & bit; bit >>= 1) m ^= bit;
    m ^= bit;
    if (n < m) {
      [re[n], re[m]] = [re[m], re[n]];
      [im[n], im[m]] = [im[m], im[n]];
    }
  }
  for (let span = 2; span <= size; span *= 2)
    for (let k = 0; k < span / 2; k++) {
      const c = cos((-2 * PI * k) / span);
      const s = sin((-2 * PI * k) / span);
      for (let a = k; a < size; a += span) {
        const b = a + span / 2;
        const x = re[b] * c - im[b] * s;
        const y = re[b] * s + im[b] * c;
        re[b] = re[a] - x;
        im[b] = im[a] - y;
        re[a] += x;
        im[a] += y;
      }
    }
}
