import type { Image } from '@pannet/core/image/image';
import type { Recipe } from '@pannet/core/image/recipe';
import { recipes } from '@pannet/core/image/recipes';
import { takeRecipes, tooFewText, type TakeRecipe } from '@pannet/core/image/take-recipes';
import { imageFor, recipesFor, sourceOf } from '@pannet/core/song/fitting-recipes';
import type { Part, Song } from '@pannet/core/song/song';
import { useSong } from '../session/use-open-song.ts';
import { OwnRecipes } from './OwnRecipes.tsx';
import { RecipeRow } from './RecipeRow.tsx';

type ImageOf = (part: Part, song: Song) => Image;

/** By recipe, each one function: a row is drawn again only when something else has changed. */
const images = new Map<Recipe, ImageOf>(
  recipes.map((recipe) => [recipe, (part, song) => imageFor(recipe, sourceOf(song, part))]),
);
const takesImages = new Map<TakeRecipe, ImageOf>(
  takeRecipes.map((recipe) => [recipe, ({ takes }) => recipe.image(takes.length)]),
);

/** Starting points: those that fit the source first, then the others, then the engineer's own. */
export function RecipeList({ part }: { readonly part: Part }) {
  const song = useSong();
  const all = recipesFor(sourceOf(song, part));
  const rows = (fits: boolean) =>
    all
      .filter((one) => one.fits === fits)
      .map(({ recipe }) => (
        <RecipeRow
          key={recipe.id}
          id={recipe.id}
          partId={part.id}
          partName={part.name}
          name={recipe.name}
          sentence={recipe.sentence}
          figures={recipe.promise}
          image={images.get(recipe) ?? recipe.image}
          meant={recipe.meant}
        />
      ));
  return (
    <>
      <OwnRecipes part={part} />
      {part.takes.length > 1 && (
        <>
          <h3 className="panel-heading">For its {part.takes.length} takes</h3>
          {takeRecipes.map((recipe) => (
            <RecipeRow
              key={recipe.id}
              id={recipe.id}
              partId={part.id}
              partName={part.name}
              name={recipe.name}
              sentence={[recipe.sentence, tooFewText(recipe, part.takes.length)]
                .filter(Boolean)
                .join(' ')}
              image={takesImages.get(recipe) ?? null}
            />
          ))}
        </>
      )}
      {all.some(({ fits }) => fits) && <h3 className="panel-heading">For this source</h3>}
      {rows(true)}
      <h3 className="panel-heading">Others</h3>
      {rows(false)}
    </>
  );
}
