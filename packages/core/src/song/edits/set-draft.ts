import { imageDescription } from '../../image/image.ts';
import { id } from '../../parameters/description.ts';
import { draftNumber } from '../part.ts';
import { editOf, type EditModule } from './edit.ts';
import { changePart } from './edited-part.ts';

/** Keeps an image under a number key; null clears it. */
const description = editOf('set-draft', {
  partId: id('a part'),
  number: draftNumber,
  image: imageDescription.nullable(),
});

export const setDraft: EditModule<typeof description> = {
  description,
  apply: (song, { partId, number, image }) =>
    changePart(song, partId, (part) => {
      const { [number]: before = null, ...others } = part.drafts;
      return {
        part: { ...part, drafts: image ? { ...others, [number]: image } : others },
        inverse: { kind: 'set-draft', partId, number, image: before },
      };
    }),
};
