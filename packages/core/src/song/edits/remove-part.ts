import { failure } from '../../outcome.ts';
import { id } from '../../parameters/description.ts';
import { belongsToPart } from '../moves-of.ts';
import { edited, editOf, type EditModule } from './edit.ts';
import { noPart, partOf } from './edited-part.ts';

const description = editOf('remove-part', { partId: id('a part') });

export const removePart: EditModule<typeof description> = {
  description,
  apply: (song, { partId }) => {
    const part = partOf(song, partId);
    if (!part) return noPart(partId);
    const named =
      song.groups.some(({ partIds }) => partIds.includes(partId)) ||
      song.moves.some(({ target }) => belongsToPart(target, partId)) ||
      song.rooms.some(({ feeds }) => feeds.some((feed) => feed.partId === partId));
    if (named)
      return failure(
        'in-use',
        `“${part.name}” is in a group, feeds a room, or a move belongs to it; take it out of there first.`,
        'partId',
      );
    const { [partId]: _, ...parts } = song.parts;
    const index = song.partOrder.indexOf(partId);
    return edited(
      { ...song, parts, partOrder: song.partOrder.toSpliced(index, 1) },
      { kind: 'add-part', part, index },
    );
  },
};
