import { imageDescription } from '../../image/image.ts';
import { id } from '../../parameters/description.ts';
import { imageMovesDescription } from '../along.ts';
import { draftNumber } from '../draft-number.ts';
import { editOf, type EditModule } from './edit.ts';
import { changePart } from './edited-part.ts';

/** Keeps an image under a number key, and how it moves along the song; null clears it. */
const description = editOf('set-draft', {
  partId: id('a part'),
  number: draftNumber,
  image: imageDescription.nullable(),
  /** Without any the moves are left as they are, whenever the draft is taken up. */
  moves: imageMovesDescription.nullish(),
});

export const setDraft: EditModule<typeof description> = {
  description,
  apply: (song, { partId, number, image, moves }) =>
    changePart(song, partId, (part) => {
      const { [number]: before = null, ...others } = part.drafts;
      const { [number]: moved = null, ...otherMoves } = part.draftMoves;
      return {
        part: {
          ...part,
          drafts: image ? { ...others, [number]: image } : others,
          draftMoves: image && moves ? { ...otherMoves, [number]: moves } : otherMoves,
        },
        inverse: { kind: 'set-draft', partId, number, image: before, moves: moved },
      };
    }),
};
