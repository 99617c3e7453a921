import { gainToDb } from '../quantities/units.ts';

/** One path of a take into the fold. */
export interface FoldPath {
  /** Linear, signed, relative to the plain take in the middle. */
  readonly gain: number;
  readonly delaySeconds: number;
  /** A tuned voice drifts against the others, so it adds in power, not in phase. */
  readonly coherent: boolean;
  /** What filters do to it, by frequency; nothing where left out. */
  readonly response?: (frequencyHz: number) => { readonly re: number; readonly im: number };
}

/** |Σ gₙ·e^(−j2πfτₙ)| of the coherent paths, with the power of the others added. */
export function combMagnitude(paths: readonly FoldPath[], frequencyHz: number): number {
  let real = 0;
  let imaginary = 0;
  let power = 0;
  for (const { gain, delaySeconds, coherent, response } of paths) {
    const { re, im } = response?.(frequencyHz) ?? { re: 1, im: 0 };
    if (coherent) {
      const angle = -2 * Math.PI * frequencyHz * delaySeconds;
      real += gain * (re * Math.cos(angle) - im * Math.sin(angle));
      imaginary += gain * (re * Math.sin(angle) + im * Math.cos(angle));
    } else {
      power += gain * gain * (re * re + im * im);
    }
  }
  return Math.sqrt(real * real + imaginary * imaginary + power);
}

/**
 * The first notches of two paths `delaySeconds` apart: (2k+1)/(2τ), or k/τ where their polarities differ.
 * Empty for no delay.
 */
export function notchFrequencies(
  delaySeconds: number,
  polarity: 'equal' | 'opposite',
  count: number,
): number[] {
  const tau = Math.abs(delaySeconds);
  if (tau === 0) return [];
  return Array.from({ length: count }, (_, k) =>
    polarity === 'equal' ? (2 * k + 1) / (2 * tau) : (k + 1) / tau,
  );
}

/** Valley against peak of a comb whose second path has `ratio` of the first one's gain: 20·log10(|1−g|/(1+g)). */
export function combDepthDb(ratio: number): number {
  return gainToDb(Math.abs(1 - ratio) / (1 + ratio));
}
