import { recipes, type Recipe, type Suits } from '../image/recipes.ts';
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

/** What recipes for this source should be made for. A plucked string that is struck rather than strummed is both. */
export function suitsOf({ family, facts }: Source): readonly Suits[] {
  const suits: Suits[] = [];
  if (facts?.driven) suits.push('driven');
  if (family === 'struck' || (facts?.struck && family !== 'keys')) suits.push('struck');
  if (family === 'low') suits.push('low');
  if (family === 'voice' || family === 'bowed') suits.push('single lines');
  if (family === 'keys' || family === 'plucked') suits.push('chords');
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
