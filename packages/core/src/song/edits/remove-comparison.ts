import { failure } from '../../outcome.ts';
import { id } from '../../parameters/description.ts';
import { describe } from '../../parameters/parameter.ts';
import { edited, editOf, type EditModule } from './edit.ts';

const description = editOf('remove-comparison', { id: id('a comparison') });

export const removeComparison: EditModule<typeof description> = {
  description,
  apply: (song, { id }) => {
    const index = song.comparisons.findIndex((comparison) => comparison.id === id);
    if (index < 0)
      return failure('no-comparison', `There is no comparison with the id ${describe(id)}.`, 'id');
    return edited(
      { ...song, comparisons: song.comparisons.toSpliced(index, 1) },
      { kind: 'add-comparison', comparison: song.comparisons[index], index },
    );
  },
};
