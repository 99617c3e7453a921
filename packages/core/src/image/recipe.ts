import { newVoice, type Placement, type Voice, type VoiceChanges } from '../voices/voice.ts';
import type { Image } from './image.ts';
import { neutralStage, type Stage } from './stage.ts';

/** What an image does to a take that fills the band, in figures that its file can be held to. */
export interface Promise {
  /** Loss of the fold against the stereo, K-weighted, in dB: least and most. */
  readonly foldDb: readonly [number, number];
  /** Difference against middle, in dB. */
  readonly widthDb: readonly [number, number];
  /** The side that speaks first; where it does so above the low end alone, a take that has little else leads nowhere. */
  readonly leads: 'L' | 'R' | 'L where bright' | null;
  /** Whether the fold is hollow somewhere: a dip of 6 dB or more. Of what wanders it is so now and then, here and there. */
  readonly combed: boolean | 'at times';
  /** The same where a take has few tones, low or held ones: a delay adds or takes away as they happen to lie. The usual ones if left out. */
  readonly onFewTones?: {
    readonly foldDb: readonly [number, number];
    readonly widthDb: readonly [number, number];
  };
}

/** What a recipe is made for. */
export type Suits = 'single lines' | 'chords' | 'struck' | 'low' | 'driven' | 'clean';

/** A named starting point for an image. */
export interface Recipe {
  readonly id: string;
  readonly name: string;
  /** What it does to the sides and to the fold, and what it is for. */
  readonly sentence: string;
  /** Sources on which nothing is found that it does not mean. */
  readonly suits: readonly Suits[];
  /** Codes of findings that are what it is for, and no faults. */
  readonly meant?: readonly string[];
  readonly promise: Promise;
  readonly image: Image;
}

export const left: Placement = { kind: 'pan', panPercent: -100 };
export const right: Placement = { kind: 'pan', panPercent: 100 };
export const ms = (value: number) => ({ value, unit: 'ms' }) as const;

/** Voices named and numbered in their order. */
export function image(
  voices: readonly (readonly [name: string, changes: VoiceChanges])[],
  stage: Partial<Stage> = {},
): Image {
  return {
    voices: voices.map(([name, changes], n): Voice => newVoice(`v${n + 1}`, name, changes)),
    stage: { ...neutralStage, ...stage },
  };
}
