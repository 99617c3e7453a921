import type { Image } from '../image/image.ts';
import type { Recipe, Suits } from '../image/recipe.ts';
import { recipes } from '../image/recipes.ts';
import type { SourceFacts } from '../sources/facts.ts';
import { neutralTuner, type TunerKind } from '../voices/voice.ts';
import { recordingOf, type Family, type Part, type Song } from './song.ts';

/** What is known of a source. */
export interface Source {
  readonly family: Family;
  readonly facts: Pick<SourceFacts, 'struck' | 'driven'> | undefined;
}

export function sourceOf(song: Song, { family, takes }: Part): Source {
  return { family, facts: recordingOf(song, takes[0]).facts };
}

/** Families that leave it open whether a source is struck: its sound tells. Of the others the engineer has said what they are. */
const open: readonly Family[] = ['plucked', 'low', 'other'];

/** Whether what comes twice is heard twice early. */
export function isStruck({ family, facts }: Source): boolean {
  return family === 'struck' || (facts?.struck === true && open.includes(family));
}

/** What is played through amplifiers, common practice. */
const amplified: readonly Family[] = ['plucked', 'low', 'keys'];

/** What recipes for this source should be made for. What is struck is heard twice where it comes twice, plucked or not. */
export function suitsOf(source: Source): readonly Suits[] {
  const { family, facts } = source;
  const suits: Suits[] = [];
  if (facts?.driven) suits.push('driven');
  else if (facts && amplified.includes(family)) suits.push('clean');
  const struck = isStruck(source);
  if (struck) suits.push('struck');
  if (family === 'low') suits.push('low');
  if (family === 'voice' || family === 'bowed') suits.push('single lines');
  if (family === 'keys' || (family === 'plucked' && !struck)) suits.push('chords');
  return suits;
}

/** What the tuner of a voice of this source should be for. */
export function tunerFor(source: Source): TunerKind {
  if (isStruck(source)) return 'struck';
  return source.family === 'keys' || source.family === 'plucked' ? 'chords' : 'single';
}

/** A recipe's image for a source. */
export function imageFor({ image }: Pick<Recipe, 'image'>, source: Source): Image {
  return tunedFor(image, tunerFor(source));
}

/** An image of which the tuners are for this where nothing is said of what they are for. */
export function tunedFor(image: Image, kind: TunerKind): Image {
  const voices = image.voices.map((voice) =>
    voice.tuner.kind === neutralTuner.kind ? { ...voice, tuner: { ...voice.tuner, kind } } : voice,
  );
  return { ...image, voices };
}

/** All recipes, those that fit the source first; else in their order. */
export function recipesFor(source: Source): { readonly recipe: Recipe; readonly fits: boolean }[] {
  const suits = suitsOf(source);
  const all = recipes.map((recipe) => ({
    recipe,
    fits: recipe.suits.some((suit) => suits.includes(suit)),
  }));
  return [...all.filter(({ fits }) => fits), ...all.filter(({ fits }) => !fits)];
}
