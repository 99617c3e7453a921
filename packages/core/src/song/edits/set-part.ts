import { changesOf, id } from '../../parameters/description.ts';
import { partDescription } from '../part.ts';
import { earlier, editOf, type EditModule } from './edit.ts';
import { changePart } from './edited-part.ts';

const description = editOf('set-part', {
  partId: id('a part'),
  changes: changesOf(partDescription, [
    'name',
    'family',
    'levelDb',
    'muted',
    'plainVoice',
    'toggleKey',
    'frozen',
    'meant',
  ]),
});

export const setPart: EditModule<typeof description> = {
  description,
  apply: (song, { partId, changes }) =>
    changePart(song, partId, (part) => ({
      part: { ...part, ...changes },
      inverse: { kind: 'set-part', partId, changes: earlier(part, changes) },
    })),
  merge: (before, later) =>
    before.partId === later.partId
      ? { ...later, changes: { ...before.changes, ...later.changes } }
      : null,
};
