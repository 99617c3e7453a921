import { newVoice, type Voice, type VoiceChanges } from '../voices/voice.ts';
import type { Image } from './image.ts';
import { findRecipe } from './recipes.ts';
import { neutralStage } from './stage.ts';

/** A way to place several takes of one part. */
export interface TakeRecipe {
  readonly id: string;
  readonly name: string;
  readonly sentence: string;
  /** How many takes it is made for; of more than that the others are placed in turn as well. */
  readonly wants: number;
  readonly image: (takes: number) => Image;
}

type Place = Omit<VoiceChanges, 'placement'> & { readonly panPercent: number };

/** A voice for each take, named after where it stands. */
function placed(takes: number, placeOf: (take: number) => Place): Image {
  const counts = new Map<string, number>();
  const voices = Array.from({ length: takes }, (_, n): Voice => {
    const { panPercent, ...changes } = placeOf(n);
    const side = panPercent === 0 ? 'middle' : panPercent < 0 ? 'left' : 'right';
    const count = (counts.get(side) ?? 0) + 1;
    counts.set(side, count);
    const name = count === 1 ? side : `${side} ${count}`;
    const placement = { kind: 'pan', panPercent } as const;
    return newVoice(`v${n + 1}`, name, { ...changes, take: n + 1, placement });
  });
  return { voices, stage: neutralStage };
}

/** Left and right in turn; of an odd number the last one in the middle. */
function turn(n: number, takes: number): number {
  if (takes % 2 === 1 && n === takes - 1) return 0;
  return n % 2 === 0 ? -100 : 100;
}

/** Lower and darker than the first pair: it carries, and is not heard by itself. */
const behind = { levelDb: -4, tone: { tiltDb: -3, highCutHz: 9000 } } as const;

export const takeRecipes: readonly TakeRecipe[] = [
  {
    id: 'in-turn',
    name: 'Left and right in turn',
    sentence:
      'Each take hard out, in turn; of an odd number the last one stands in the middle. Two performances lose 3 dB in the fold and cancel nothing.',
    wants: 2,
    image: (takes) => placed(takes, (n) => ({ panPercent: turn(n, takes) })),
  },
  {
    id: 'one-in-the-middle',
    name: 'Left, right, one in the middle',
    sentence:
      'The first take in the middle, the others left and right in turn under it: the line stays where it is.',
    wants: 3,
    image: (takes) =>
      placed(takes, (n) =>
        n === 0 ? { panPercent: 0 } : { panPercent: n % 2 === 1 ? -100 : 100, levelDb: -3 },
      ),
  },
  {
    id: 'second-pair-behind',
    name: 'Second pair lower and darker',
    sentence:
      'The first pair hard out; those behind it 4 dB lower, darker and a little less far out, for weight.',
    wants: 4,
    image: (takes) =>
      placed(takes, (n) => {
        const panPercent = turn(n, takes);
        return n < 2 ? { panPercent } : { panPercent: 0.85 * panPercent, ...behind };
      }),
  },
  {
    id: 'wall',
    name: 'Wall with a retuned layer',
    sentence:
      'Pairs hard out; each second pair with its timbre five semitones lower at the same pitch, quiet: weight, as if played elsewhere on the instrument.',
    wants: 8,
    image: (takes) =>
      placed(takes, (n) => {
        const panPercent = turn(n, takes);
        const layer = Math.floor(n / 2) % 2 === 1;
        return layer
          ? { panPercent, levelDb: -8, tuner: { timbreSemitones: -5 } }
          : { panPercent, levelDb: n < 2 ? 0 : -3 };
      }),
  },
];

/** What becomes of a recipe with as many takes as there are; null where there are enough. */
export function tooFewText({ wants }: TakeRecipe, takes: number): string | null {
  if (takes >= wants) return null;
  return takes === 1
    ? `Made for ${wants} takes: there is one, which is placed alone.`
    : `Made for ${wants} takes: there are ${takes}, which are placed as its first ones.`;
}

/** What one take alone can do to look like two: to be set beside two that are. */
export const falseDoubles: readonly { readonly name: string; readonly image: Image }[] = [
  ['one-side-late', 'a late copy of its first take'],
  ['phase-spread', 'its first take spread in phase'],
].flatMap(([id, name]) => {
  const image = findRecipe(id)?.image;
  return image ? [{ name, image }] : [];
});
