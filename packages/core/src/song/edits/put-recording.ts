import { failure } from '../../outcome.ts';
import { recordingDescription } from '../recording.ts';
import { edited, editOf, type EditModule } from './edit.ts';

const description = editOf('put-recording', { recording: recordingDescription });

export const putRecording: EditModule<typeof description> = {
  description,
  apply: (song, { recording }) => {
    if (Object.hasOwn(song.recordings, recording.hash))
      return failure(
        'same-recording',
        `“${recording.fileName}” is in this song already.`,
        'recording.hash',
      );
    if (song.rateHz !== null && recording.rateHz !== song.rateHz)
      return failure(
        'other-rate',
        `“${recording.fileName}” is at ${recording.rateHz} Hz, the song at ${song.rateHz} Hz. It has to be converted to the song's rate before it comes in.`,
        'recording.rateHz',
      );
    return edited(
      { ...song, recordings: { ...song.recordings, [recording.hash]: recording } },
      { kind: 'drop-recording', hash: recording.hash },
    );
  },
};
