import type { Recipe, Suits } from '../image/recipe.ts';
import { recipes } from '../image/recipes.ts';
import type { SourceFacts } from '../sources/facts.ts';
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

/** All recipes, those that fit the source first; else in their order. */
export function recipesFor(source: Source): { readonly recipe: Recipe; readonly fits: boolean }[] {
  const suits = suitsOf(source);
  const all = recipes.map((recipe) => ({
    recipe,
    fits: recipe.suits.some((suit) => suits.includes(suit)),
  }));
  return [...all.filter(({ fits }) => fits), ...all.filter(({ fits }) => !fits)];
}
