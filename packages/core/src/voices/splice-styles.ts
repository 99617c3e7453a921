import type { SplicedKind } from './voice.ts';

/** How a kind of sound is spliced. */
interface SpliceStyle {
  readonly crossfadeMs: number;
  /** Over so long readings are compared. */
  readonly windowMs: number;
  /** How dear it is that what changes comes early or late, beside what a splice costs. */
  readonly inTime: number;
  /** The longest jump: a period of the lowest tone. */
  readonly longestMs: number;
}

/**
 * A single line repeats itself within some 10 ms, so that a jump by a period is not heard. A struck sound has no period to speak of, but moments
 * at which little sounds.
 */
export const spliceStyles: Readonly<Record<SplicedKind, SpliceStyle>> = {
  single: { crossfadeMs: 10, windowMs: 10, inTime: 1, longestMs: 32 },
  struck: { crossfadeMs: 6, windowMs: 6, inTime: 0.5, longestMs: 15 },
};

/** So far from its place a moment in which nothing changes costs as much as it is loud. */
export const stillMs = 180;
/** A reading is never planned farther from its place. */
export const widestMs = 20;
/** No kind of tuner wanders further than this: what is planned, and what a splice may be late by at an octave. */
export const longestWanderMs = 2 * widestMs;
/** And none reads further: at an octave the line that fades out goes on by as much as the longest crossfade. */
export const longestReadMs =
  longestWanderMs + Math.max(...Object.values(spliceStyles).map(({ crossfadeMs }) => crossfadeMs));
