import {
  hz,
  ms,
  msToFrames,
  frames,
  framesToMs,
  type Frames,
  type Ms,
} from '../quantities/units.ts';

/** A delay as it was typed: what was typed is what is stored. */
export interface Delay {
  readonly value: number;
  readonly unit: 'ms' | 'samples';
}

export type Placement =
  | { readonly kind: 'pan'; readonly panPercent: number }
  /** To L as it is, to R with inverted polarity: it lives in the difference and vanishes in the fold. */
  | { readonly kind: 'mirror' };

/** A placed copy of a take. */
export interface Voice {
  readonly id: string;
  readonly name: string;
  /** Which of the part's takes, from 1. */
  readonly take: number;
  readonly placement: Placement;
  readonly levelDb: number;
  readonly delay: Delay;
  readonly tuner: { readonly kind: 'single'; readonly cents: number };
  readonly polarity: 'normal' | 'inverted';
  readonly muted: boolean;
}

export function delayInFrames(delay: Delay, rateHz: number): Frames {
  return delay.unit === 'samples' ? frames(delay.value) : msToFrames(ms(delay.value), hz(rateHz));
}

export function delayInMs(delay: Delay, rateHz: number): Ms {
  return delay.unit === 'ms' ? ms(delay.value) : framesToMs(frames(delay.value), hz(rateHz));
}
