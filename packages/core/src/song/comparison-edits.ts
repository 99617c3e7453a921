import { failure, type Outcome } from '../outcome.ts';
import { describe } from '../parameters/parameter.ts';
import { edited, type Edited } from './edit.ts';
import { mostComparisons, type Comparison, type Song } from './song.ts';

/** To the second, in universal time. */
const isoTime = /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(?:\.\d+)?Z$/;

export function addComparison(song: Song, comparison: Comparison, index: number): Outcome<Edited> {
  const { id, at, partId, first, second, rounds, firstChosen } = comparison;
  if (song.comparisons.some((other) => other.id === id))
    return failure('same-id', `There is a comparison with the id ${describe(id)} already.`, 'id');
  if (song.comparisons.length >= mostComparisons)
    return failure(
      'too-many-comparisons',
      `A song keeps at most ${mostComparisons} comparisons; remove older ones first.`,
      'comparison',
    );
  if (!Number.isInteger(index) || index < 0 || index > song.comparisons.length)
    return failure(
      'bad-index',
      `A comparison's place is from 0 to ${song.comparisons.length}; it was ${describe(index)}.`,
      'index',
    );
  const known = [first, second].every((state) => /^(?:plain|image|[1-9])$/.test(state));
  if (!known || first === second)
    return failure(
      'bad-states',
      'Two different ones of “plain”, “image” and the drafts 1 to 9 are compared.',
      'comparison',
    );
  const counted =
    Number.isInteger(rounds) &&
    Number.isInteger(firstChosen) &&
    rounds >= 1 &&
    rounds <= 1000 &&
    firstChosen >= 0 &&
    firstChosen <= rounds;
  const named = [id, partId, at].every((text) => typeof text === 'string' && text.length <= 80);
  if (!counted || !named || !isoTime.test(at))
    return failure(
      'bad-comparison',
      'A comparison has an id, a part, a time and 1 to 1000 rounds, and the first was chosen in none to all of them.',
      'comparison',
    );
  return edited(
    { ...song, comparisons: song.comparisons.toSpliced(index, 0, comparison) },
    { kind: 'remove-comparison', id },
  );
}

export function removeComparison(song: Song, id: string): Outcome<Edited> {
  const index = song.comparisons.findIndex((comparison) => comparison.id === id);
  if (index < 0)
    return failure('no-comparison', `There is no comparison with the id ${describe(id)}.`, 'id');
  return edited(
    { ...song, comparisons: song.comparisons.toSpliced(index, 1) },
    { kind: 'add-comparison', comparison: song.comparisons[index], index },
  );
}
