import { neutralStage, newVoice, type Image } from './image.ts';

/** A named starting point for an image. */
export interface Recipe {
  readonly id: string;
  readonly name: string;
  /** What it does to the sides and to the fold, in a sentence. */
  readonly sentence: string;
  readonly image: Image;
}

/**
 * Delays of 8 to 35 ms and tunings of 5 to 12 cents are common practice for width; a mirrored copy is the network of
 * Lauridsen (1954).
 */
export const recipes: readonly Recipe[] = [
  {
    id: 'one-side-late',
    name: 'One side late',
    sentence:
      'The right side comes 14 ms after the left: wide, and it leads to the left. The fold keeps its level to some 3 dB, but is combed from 36 Hz on.',
    image: {
      voices: [
        newVoice('v1', 'left', { placement: { kind: 'pan', panPercent: -100 } }),
        newVoice('v2', 'right late', {
          placement: { kind: 'pan', panPercent: 100 },
          delay: { value: 14, unit: 'ms' },
        }),
      ],
      stage: neutralStage,
    },
  },
  {
    id: 'tuned-doubles',
    name: 'Tuned doubles',
    sentence:
      'Copies 7 cents up and down, 11 and 17 ms late, hard left and right under the original: the fold holds, since the copies drift against the middle instead of combing it.',
    image: {
      voices: [
        newVoice('v1', 'anchor'),
        newVoice('v2', 'left double', {
          placement: { kind: 'pan', panPercent: -100 },
          levelDb: -6,
          delay: { value: 11, unit: 'ms' },
          tuner: { kind: 'single', cents: 7 },
        }),
        newVoice('v3', 'right double', {
          placement: { kind: 'pan', panPercent: 100 },
          levelDb: -6,
          delay: { value: 17, unit: 'ms' },
          tuner: { kind: 'single', cents: -7 },
        }),
      ],
      stage: neutralStage,
    },
  },
  {
    id: 'mirrored',
    name: 'Mirrored',
    sentence:
      'A copy 14 ms late is added to the left and taken from the right: wide without a leading side, and the fold is the plain take exactly.',
    image: {
      voices: [
        newVoice('v1', 'anchor'),
        newVoice('v2', 'difference', {
          placement: { kind: 'mirror' },
          levelDb: -3,
          delay: { value: 14, unit: 'ms' },
        }),
      ],
      stage: neutralStage,
    },
  },
];

export function findRecipe(id: string): Recipe | undefined {
  return recipes.find((recipe) => recipe.id === id);
}
