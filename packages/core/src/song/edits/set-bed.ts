import { failure } from '../../outcome.ts';
import { bedDescription } from '../song.ts';
import { edited, editOf, type EditModule } from './edit.ts';

const description = editOf('set-bed', { bed: bedDescription.nullable() });

export const setBed: EditModule<typeof description> = {
  description,
  apply: (song, { bed }) => {
    if (bed && !Object.hasOwn(song.recordings, bed.recording))
      return failure(
        'no-recording',
        'The bed names a recording that the song does not have.',
        'bed.recording',
      );
    return edited({ ...song, bed }, { kind: 'set-bed', bed: song.bed });
  },
  merge: (before, later) => (before.bed?.recording === later.bed?.recording ? later : null),
};
