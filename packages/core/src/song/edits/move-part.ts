import { failure } from '../../outcome.ts';
import { count, id } from '../../parameters/description.ts';
import { mostParts } from '../song.ts';
import { edited, editOf, type EditModule } from './edit.ts';
import { noPart, partOf } from './edited-part.ts';

const description = editOf('move-part', {
  partId: id('a part'),
  /** Its place among all once it is taken out. */
  index: count("A part's place", 0, mostParts - 1),
});

export const movePart: EditModule<typeof description> = {
  description,
  apply: (song, { partId, index }) => {
    if (!partOf(song, partId)) return noPart(partId);
    const from = song.partOrder.indexOf(partId);
    const others = song.partOrder.toSpliced(from, 1);
    if (index > others.length)
      return failure(
        'bad-index',
        `A part's place is from 0 to ${others.length}; it was ${index}.`,
        'index',
      );
    return edited(
      { ...song, partOrder: others.toSpliced(index, 0, partId) },
      { kind: 'move-part', partId, index: from },
    );
  },
};
