import { stageShape } from '../../image/stage.ts';
import { changesOf, id, thing } from '../../parameters/description.ts';
import { earlier, editOf, type EditModule } from './edit.ts';
import { changePart } from './edited-part.ts';

const description = editOf('set-stage', {
  partId: id('a part'),
  changes: changesOf(thing(stageShape), Object.keys(stageShape) as (keyof typeof stageShape)[]),
});

export const setStage: EditModule<typeof description> = {
  description,
  apply: (song, { partId, changes }) =>
    changePart(song, partId, (part) => ({
      part: { ...part, image: { ...part.image, stage: { ...part.image.stage, ...changes } } },
      inverse: { kind: 'set-stage', partId, changes: earlier(part.image.stage, changes) },
    })),
  merge: (before, later) =>
    before.partId === later.partId
      ? { ...later, changes: { ...before.changes, ...later.changes } }
      : null,
};
