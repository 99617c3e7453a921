import { failure } from '../../outcome.ts';
import { checkSong, songRate } from '../song.ts';
import { edited, editOf, type EditModule } from './edit.ts';

const description = editOf('set-rate', { rateHz: songRate.unwrap() });

export const setRate: EditModule<typeof description> = {
  description,
  apply: (song, { rateHz }) => {
    const other = Object.values(song.recordings).find((recording) => recording.rateHz !== rateHz);
    if (other)
      return failure(
        'other-rate',
        `The song's rate is that of its recordings (${other.rateHz} Hz).`,
        'rateHz',
      );
    // A delay in samples, an impulse response: what fits one rate may not fit another.
    const changed = checkSong({ ...song, rateHz });
    if (!changed.ok) return changed;
    return edited(changed.value, { kind: 'set-rate', rateHz: song.rateHz });
  },
};
