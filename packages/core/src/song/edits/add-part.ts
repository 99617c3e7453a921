import { failure } from '../../outcome.ts';
import { count } from '../../parameters/description.ts';
import { partDescription } from '../part.ts';
import { checkPart, mostParts } from '../song.ts';
import { edited, editOf, type EditModule } from './edit.ts';

const description = editOf('add-part', {
  part: partDescription,
  index: count("A part's place", 0, mostParts),
});

export const addPart: EditModule<typeof description> = {
  description,
  apply: (song, { part, index }) => {
    if (Object.hasOwn(song.parts, part.id))
      return failure('same-id', `The song already has a part with the id “${part.id}”.`, 'part.id');
    if (song.partOrder.length >= mostParts)
      return failure('too-many-parts', `A song has at most ${mostParts} parts.`, 'part');
    if (index > song.partOrder.length)
      return failure(
        'bad-index',
        `A part's place is from 0 to ${song.partOrder.length}; it was ${index}.`,
        'index',
      );
    const checked = checkPart(song, part);
    if (!checked.ok) return checked;
    return edited(
      {
        ...song,
        parts: { ...song.parts, [part.id]: part },
        partOrder: song.partOrder.toSpliced(index, 0, part.id),
      },
      { kind: 'remove-part', partId: part.id },
    );
  },
};
