import { id } from '../../parameters/description.ts';
import { draftNumber } from '../draft-number.ts';
import { editOf, type EditModule } from './edit.ts';
import { changePart } from './edited-part.ts';

/** Which draft the image was last kept as or recalled from. */
const description = editOf('choose-draft', {
  partId: id('a part'),
  number: draftNumber.nullable(),
});

export const chooseDraft: EditModule<typeof description> = {
  description,
  apply: (song, { partId, number }) =>
    changePart(song, partId, (part) => ({
      part: { ...part, draft: number },
      inverse: { kind: 'choose-draft', partId, number: part.draft },
    })),
};
