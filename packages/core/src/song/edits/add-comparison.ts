import { failure } from '../../outcome.ts';
import { count } from '../../parameters/description.ts';
import { describe } from '../../parameters/parameter.ts';
import { comparisonDescription, mostComparisons } from '../comparison.ts';
import { edited, editOf, type EditModule } from './edit.ts';

const description = editOf('add-comparison', {
  comparison: comparisonDescription,
  index: count("A comparison's place", 0, mostComparisons),
});

export const addComparison: EditModule<typeof description> = {
  description,
  apply: (song, { comparison, index }) => {
    const { id } = comparison;
    if (song.comparisons.some((other) => other.id === id))
      return failure('same-id', `There is a comparison with the id ${describe(id)} already.`, 'id');
    if (song.comparisons.length >= mostComparisons)
      return failure(
        'too-many-comparisons',
        `A song keeps at most ${mostComparisons} comparisons; remove older ones first.`,
        'comparison',
      );
    if (index > song.comparisons.length)
      return failure(
        'bad-index',
        `A comparison's place is from 0 to ${song.comparisons.length}; it was ${index}.`,
        'index',
      );
    return edited(
      { ...song, comparisons: song.comparisons.toSpliced(index, 0, comparison) },
      { kind: 'remove-comparison', id },
    );
  },
};
