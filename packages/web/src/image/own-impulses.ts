import { mostImpulseSeconds } from '@pannet/core/amps/amp';
import { isImpulse, type Recording, type Room, type Song } from '@pannet/core/song/song';

/** Recordings of a song that are short enough, and are neither a take nor the bed: what chains are heard through, or rooms ring by. */
export function ownImpulses(
  song: Song,
  mostSeconds: number = mostImpulseSeconds,
): readonly Recording[] {
  const elsewhere = new Set([
    ...Object.values(song.parts).flatMap(({ takes }) => takes.map(({ recording }) => recording)),
    ...(song.bed ? [song.bed.recording] : []),
    ...[...song.rooms, ...Object.values(song.parts)].flatMap(({ frozen }) =>
      frozen ? [frozen.recording] : [],
    ),
  ]);
  return Object.values(song.recordings).filter(
    ({ hash, frames, rateHz }) =>
      frames <= mostSeconds * rateHz &&
      (!elsewhere.has(hash) || isImpulse(song, hash) || roomsBy(song, hash).length > 0),
  );
}

/** The rooms that ring by a recording. */
export function roomsBy({ rooms }: Song, hash: string): readonly Room[] {
  return rooms.filter(({ own }) => own.recording === hash);
}

/** The hash of an impulse response by the name of its file, or what it was called where there is none of that name. */
export function impulseNamed(song: Song, called: string): string {
  return ownImpulses(song).find(({ fileName }) => fileName === called)?.hash ?? called;
}
