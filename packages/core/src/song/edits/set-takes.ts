import { partDescription } from '../part.ts';
import { changesOf, id } from '../../parameters/description.ts';
import { earlier, editOf, type EditModule } from './edit.ts';
import { changePart } from './edited-part.ts';

const description = editOf('set-takes', {
  partId: id('a part'),
  /** Takes that are added, removed or moved; and the images whose voices play them by their numbers. */
  changes: changesOf(partDescription, ['takes', 'image', 'drafts']),
});

export const setTakes: EditModule<typeof description> = {
  description,
  apply: (song, { partId, changes }) =>
    changePart(song, partId, (part) => ({
      part: { ...part, ...changes },
      inverse: { kind: 'set-takes', partId, changes: earlier(part, changes) },
    })),
};
