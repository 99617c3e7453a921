import { failure } from '../../outcome.ts';
import { contentHash } from '../../parameters/description.ts';
import { describe } from '../../parameters/parameter.ts';
import { frozenAs } from '../frozen.ts';
import { isImpulse } from '../song.ts';
import { edited, editOf, type EditModule } from './edit.ts';

const description = editOf('drop-recording', { hash: contentHash() });

export const dropRecording: EditModule<typeof description> = {
  description,
  apply: (song, { hash }) => {
    if (!Object.hasOwn(song.recordings, hash))
      return failure('no-recording', `The song has no recording ${describe(hash)}.`, 'hash');
    const used =
      song.bed?.recording === hash ||
      Object.values(song.parts).some((part) => part.takes.some((take) => take.recording === hash));
    if (isImpulse(song, hash))
      return failure(
        'in-use',
        'This recording is the impulse response of a chain, in an image or a draft; give that another cabinet first.',
        'hash',
      );
    const ringing = song.rooms.find(({ own }) => own.recording === hash);
    if (ringing)
      return failure(
        'in-use',
        `“${ringing.name}” rings by this recording; give that room another response first.`,
        'hash',
      );
    const [frozen] = frozenAs(song, hash);
    if ((frozen as typeof frozen | undefined) !== undefined)
      return failure(
        'in-use',
        `“${frozen.name}” is frozen as this recording; let it go first.`,
        'hash',
      );
    if (used)
      return failure(
        'in-use',
        'This recording is used by a part or as the bed; remove that first.',
        'hash',
      );
    const { [hash]: dropped, ...recordings } = song.recordings;
    return edited({ ...song, recordings }, { kind: 'put-recording', recording: dropped });
  },
};
