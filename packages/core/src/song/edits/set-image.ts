import { imageDescription } from '../../image/image.ts';
import { id } from '../../parameters/description.ts';
import { editOf, type EditModule } from './edit.ts';
import { changePart } from './edited-part.ts';

const description = editOf('set-image', { partId: id('a part'), image: imageDescription });

export const setImage: EditModule<typeof description> = {
  description,
  apply: (song, { partId, image }) =>
    changePart(song, partId, (part) => ({
      part: { ...part, image },
      inverse: { kind: 'set-image', partId, image: part.image },
    })),
};
