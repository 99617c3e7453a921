import { sharedDriveDescription } from '../../amps/shared-drive.ts';
import { id } from '../../parameters/description.ts';
import { editOf, type EditModule } from './edit.ts';
import { changePart } from './edited-part.ts';

const description = editOf('set-shared-drive', {
  partId: id('a part'),
  /** null for none. */
  drive: sharedDriveDescription.nullable(),
});

export const setSharedDrive: EditModule<typeof description> = {
  description,
  apply: (song, { partId, drive }) =>
    changePart(song, partId, (part) => {
      const { drive: before = null, ...image } = part.image;
      return {
        part: { ...part, image: drive ? { ...image, drive } : image },
        inverse: { kind: 'set-shared-drive', partId, drive: before },
      };
    }),
  merge: (before, later) => (before.partId === later.partId ? later : null),
};
