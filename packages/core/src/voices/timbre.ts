import type FFT from 'fft.js';
import { fftOf, hannWindow } from '../signal/spectrum.ts';

const { log, exp, hypot, min, max, floor, round, cos, PI } = Math;

const frameSize = 2048;
const hop = 512;
/** What is quicker than this in the cepstrum is timbre for any pitch that is sung or played up to some 600 Hz. */
const shortestLifter = 0.0016;
/** Of a low pitch the envelope may follow narrower formants: up to this share of its period, and to this length. */
const lifterShare = 0.7;
const longestLifter = 0.004;
/** A pitch shows as a peak of the cepstrum of at least this height, between these periods. */
const pitchHeight = 0.08;
const shortestPeriod = 0.0016;
const longestPeriod = 0.014;
/** The filter never asks for more or less than this: what is not there cannot be brought up. */
const mostNepers = 3.45;

/** Frames that are needed on either side of a block. */
export const timbreReach = frameSize;

/**
 * The retuned layer: the timbre moves by some semitones while the pitch stays. A magnitude filter E(f/α)/E(f), α = 2^(n/12),
 * changes with time; E is the cepstral envelope of each frame (Bogert, Healy, Tukey 1963; the smoothed spectrum of
 * Oppenheim and Schafer). Frames stand on a grid of the absolute frame, so a block is the same whenever it is made.
 *
 * @param input `timbreReach` frames more than `count` on either side
 * @param start absolute frame of the first one that is wanted
 */
export function moveTimbre(
  input: ArrayLike<number>,
  count: number,
  start: number,
  semitones: number,
  rateHz: number,
): Float32Array {
  const fft = fftOf(frameSize);
  const window = hannWindow(frameSize);
  const alpha = 2 ** (semitones / 12);
  const sum = new Float64Array(count);
  const samples = new Array<number>(frameSize).fill(0);
  const spectrum = fft.createComplexArray();
  const cepstrum = fft.createComplexArray();
  const work = fft.createComplexArray();
  const envelope = new Float64Array(frameSize / 2 + 1);
  const first = floor((start - frameSize) / hop) + 1;
  for (let index = first; index * hop < start + count; index++) {
    const at = index * hop - start;
    for (let n = 0; n < frameSize; n++) samples[n] = window[n] * (input[at + timbreReach + n] ?? 0);
    fft.realTransform(spectrum, samples);
    fft.completeSpectrum(spectrum);
    envelopeOf(fft, spectrum, rateHz, cepstrum, work, envelope);
    for (let k = 0; k <= frameSize / 2; k++) {
      const from = k / alpha;
      const low = min(frameSize / 2, floor(from));
      const high = min(frameSize / 2, low + 1);
      const moved = envelope[low] + (envelope[high] - envelope[low]) * (from - floor(from));
      const gain = exp(max(-mostNepers, min(mostNepers, moved - envelope[k])));
      scale(spectrum, k, gain);
      if (k > 0 && k < frameSize / 2) scale(spectrum, frameSize - k, gain);
    }
    fft.inverseTransform(work, spectrum);
    // Hann twice at a quarter hop adds up to 1.5.
    for (let n = max(0, -at); n < frameSize && at + n < count; n++)
      sum[at + n] += (work[2 * n] * window[n]) / 1.5;
  }
  return Float32Array.from(sum);
}

function scale(spectrum: number[], k: number, gain: number): void {
  spectrum[2 * k] *= gain;
  spectrum[2 * k + 1] *= gain;
}

/** The smoothed logarithm of the magnitudes, into `envelope`. */
function envelopeOf(
  fft: FFT,
  spectrum: readonly number[],
  rateHz: number,
  cepstrum: number[],
  work: number[],
  envelope: Float64Array,
): void {
  for (let k = 0; k < frameSize; k++) {
    work[2 * k] = log(hypot(spectrum[2 * k], spectrum[2 * k + 1]) + 1e-7);
    work[2 * k + 1] = 0;
  }
  fft.inverseTransform(cepstrum, work);
  const lifter = lifterOf(cepstrum, rateHz);
  for (let n = 0; n < frameSize; n++) {
    const quefrency = min(n, frameSize - n);
    const keep = quefrency < lifter ? 0.5 + 0.5 * cos((PI * quefrency) / lifter) : 0;
    cepstrum[2 * n] *= keep;
    cepstrum[2 * n + 1] = 0;
  }
  fft.transform(work, cepstrum);
  for (let k = 0; k <= frameSize / 2; k++) envelope[k] = work[2 * k];
}

/** How far the envelope reaches into the cepstrum, in frames: as far as the pitch lets it. */
function lifterOf(cepstrum: readonly number[], rateHz: number): number {
  let period = 0;
  let height = pitchHeight;
  const last = min(frameSize / 2, round(longestPeriod * rateHz));
  for (let n = round(shortestPeriod * rateHz); n < last; n++)
    if (cepstrum[2 * n] > height) {
      height = cepstrum[2 * n];
      period = n;
    }
  const shortest = shortestLifter * rateHz;
  return round(max(shortest, min(longestLifter * rateHz, lifterShare * period)));
}
