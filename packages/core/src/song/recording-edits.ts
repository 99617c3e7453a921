import { failure, type Outcome } from '../outcome.ts';
import { checkParameter, describe } from '../parameters/parameter.ts';
import { bedParameters, rateParameter } from '../parameters/tables.ts';
import { edited, type Edited } from './edit.ts';
import type { Bed, Recording, Song } from './song.ts';

export function putRecording(song: Song, recording: Recording): Outcome<Edited> {
  if (!/^[0-9a-f]{64}$/.test(recording.hash))
    return failure(
      'bad-hash',
      'A recording is named by the 64 hexadecimal digits of its SHA-256.',
      'recording.hash',
    );
  if (Object.hasOwn(song.recordings, recording.hash))
    return failure(
      'same-recording',
      `“${recording.fileName}” is in this song already.`,
      'recording.hash',
    );
  const rate = checkParameter(rateParameter, recording.rateHz, 'recording.rateHz');
  if (!rate.ok) return rate;
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
}

export function dropRecording(song: Song, hash: string): Outcome<Edited> {
  if (!Object.hasOwn(song.recordings, hash))
    return failure('no-recording', `The song has no recording ${describe(hash)}.`, 'hash');
  const used =
    song.bed?.recording === hash ||
    Object.values(song.parts).some((part) => part.takes.some((take) => take.recording === hash));
  if (used)
    return failure(
      'in-use',
      'This recording is used by a part or as the bed; remove that first.',
      'hash',
    );
  const { [hash]: dropped, ...recordings } = song.recordings;
  return edited({ ...song, recordings }, { kind: 'put-recording', recording: dropped });
}

export function setRate(song: Song, rateHz: number | null): Outcome<Edited> {
  if (rateHz !== null) {
    const checked = checkParameter(rateParameter, rateHz, 'rateHz');
    if (!checked.ok) return checked;
  }
  const other = Object.values(song.recordings).find((recording) => recording.rateHz !== rateHz);
  if (other)
    return failure(
      'other-rate',
      `The song's rate is that of its recordings (${other.rateHz} Hz).`,
      'rateHz',
    );
  return edited({ ...song, rateHz }, { kind: 'set-rate', rateHz: song.rateHz });
}

export function setBed(song: Song, bed: Bed | null): Outcome<Edited> {
  if (bed) {
    if (!Object.hasOwn(song.recordings, bed.recording))
      return failure(
        'no-recording',
        'The bed names a recording that the song does not have.',
        'bed.recording',
      );
    const level = checkParameter(bedParameters.levelDb, bed.levelDb, 'bed.levelDb');
    if (!level.ok) return level;
  }
  return edited({ ...song, bed }, { kind: 'set-bed', bed: song.bed });
}
