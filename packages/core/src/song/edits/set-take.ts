import { failure } from '../../outcome.ts';
import { changesOf, id } from '../../parameters/description.ts';
import { describe } from '../../parameters/parameter.ts';
import { takeDescription } from '../../takes/take.ts';
import { earlier, editOf, type EditModule } from './edit.ts';
import { changePart } from './edited-part.ts';

const description = editOf('set-take', {
  partId: id('a part'),
  takeId: id('a take'),
  changes: changesOf(takeDescription, ['name', 'preparation', 'levelDb', 'clips', 'align']),
});

export const setTake: EditModule<typeof description> = {
  description,
  apply: (song, { partId, takeId, changes }) =>
    changePart(song, partId, (part) => {
      const index = part.takes.findIndex((take) => take.id === takeId);
      if (index < 0)
        return failure(
          'no-take',
          `“${part.name}” has no take with the id ${describe(takeId)}.`,
          'takeId',
        );
      const take = part.takes[index];
      return {
        part: { ...part, takes: part.takes.with(index, { ...take, ...changes }) },
        inverse: { kind: 'set-take', partId, takeId, changes: earlier(take, changes) },
      };
    }),
  merge: (before, later) =>
    before.partId === later.partId && before.takeId === later.takeId
      ? { ...later, changes: { ...before.changes, ...later.changes } }
      : null,
};
