import type { BiquadCoefficients } from './biquad.ts';
import { sectionDb } from './filters.ts';

const { log, sqrt, abs, acos, max, min, ceil, PI } = Math;

/** What a filter remembers counts until it lies this far under what it came from: 120 dB. */
const forgotten = log(10 ** (120 / 20));
/** Twice a pole, and what the far ends of two poles add up to, in nepers. */
const margin = log(10);

/** Of the slowest pole: how much is left of a value one frame later. */
export function poleRadius({ a1, a2 }: BiquadCoefficients): number {
  const root = (a1 * a1) / 4 - a2;
  return root < 0 ? sqrt(a2) : abs(a1) / 2 + sqrt(root);
}

/** Levels of a section at its pole and at both of its ends, in dB; a stop band is none. */
function levels(section: BiquadCoefficients): number[] {
  const radius = poleRadius(section);
  const angle = acos(max(-1, min(1, -section.a1 / (2 * max(radius, 1e-9)))));
  // As a share of the rate: at a rate of 1, frequencies are that. Deep in a stop band rounding leaves no level at all.
  return [1e-6, angle / (2 * PI), 0.4999]
    .map((hz) => sectionDb(section, hz, 1))
    .filter((db) => abs(db) < stopDb);
}

/** More is taken away by cuts alone, never by a bell or a shelf. */
const stopDb = 60;

/** The gain of a section where it is highest, at least 1. */
export function peakGain(section: BiquadCoefficients): number {
  return 10 ** (max(0, ...levels(section)) / 20);
}

/** How far apart what a section remembers and what it puts out may lie, as a gain of at least 1. */
function gainRange(section: BiquadCoefficients): number {
  return 10 ** (max(0, ...levels(section).map(abs)) / 20);
}

/**
 * How long a cascade of sections remembers, in frames: until a state of it has fallen by 120 dB, whatever that was. Each
 * section's own tail goes through all that follow, so their times add up.
 */
export function filterMemory(sections: readonly BiquadCoefficients[]): number {
  const gain = sections.reduce((product, section) => product * gainRange(section), 1);
  let frames = 0;
  for (const section of sections)
    frames += (forgotten + margin + log(gain)) / -log(poleRadius(section));
  return ceil(frames);
}

/**
 * How long a follower of peaks remembers, in frames: until a peak of so many times full scale has fallen 120 dB under the
 * threshold, and the attack's smoothing after it.
 */
export function followerMemory(
  attackMs: number,
  releaseMs: number,
  thresholdDb: number,
  highestPeak: number,
  rateHz: number,
): number {
  const nepers = forgotten + margin + log(highestPeak) - (thresholdDb * log(10)) / 20;
  return ceil(((attackMs + releaseMs) / 1000) * rateHz * max(nepers, forgotten));
}
