import { recipes, type Recipe } from '@pannet/core/image/recipes';
import { plural } from '@pannet/core/quantities/wording';
import type { Edit } from '@pannet/core/song/edits';
import type { Part } from '@pannet/core/song/song';
import Button from 'react-bootstrap/Button';
import { useOpenSong, useSelection } from '../song/open-song.ts';

/** Starting points: a press applies one to all selected parts, as one undo. */
export function RecipeList({ part }: { readonly part: Part }) {
  const open = useOpenSong();
  const { partIds } = useSelection();
  const apply = (recipe: Recipe) => {
    const edits = partIds.map((partId): Edit => ({
      kind: 'set-image',
      partId,
      image: recipe.image,
    }));
    const whom = partIds.length > 1 ? plural(partIds.length, 'part') : part.name;
    if (!open.do(`${whom}: ${recipe.name.toLowerCase()}`, edits)) return;
    open.selectVoice(null);
  };
  return (
    <>
      {recipes.map((recipe) => (
        <div key={recipe.id} className="recipe-row">
          <span className="fw-semibold">{recipe.name}</span>
          <Button size="sm" aria-label={`Apply ${recipe.name}`} onClick={() => apply(recipe)}>
            Apply
          </Button>
          <span className="quiet small" style={{ gridColumn: '1 / -1' }}>
            {recipe.sentence}
          </span>
        </div>
      ))}
    </>
  );
}
