import { id } from '../../parameters/description.ts';
import { preparationDescription } from '../../takes/preparation.ts';
import { editOf, type EditModule } from './edit.ts';
import { changePart } from './edited-part.ts';

const description = editOf('set-preparation', {
  partId: id('a part'),
  preparation: preparationDescription.unwrap(),
});

export const setPreparation: EditModule<typeof description> = {
  description,
  apply: (song, { partId, preparation }) =>
    changePart(song, partId, (part) => ({
      part: { ...part, preparation },
      inverse: { kind: 'set-preparation', partId, preparation: part.preparation },
    })),
  merge: (before, later) => (before.partId === later.partId ? later : null),
};
