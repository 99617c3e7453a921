import { mostImpulseSeconds } from '@pannet/core/amps/amp';
import { isImpulse, type Recording, type Song } from '@pannet/core/song/song';

/** Recordings of a song that are short enough, and are neither a take nor the bed: what chains can be heard through. */
export function ownImpulses(song: Song): readonly Recording[] {
  const elsewhere = new Set([
    ...Object.values(song.parts).flatMap(({ takes }) => takes.map(({ recording }) => recording)),
    ...(song.bed ? [song.bed.recording] : []),
  ]);
  return Object.values(song.recordings).filter(
    ({ hash, frames, rateHz }) =>
      frames <= mostImpulseSeconds * rateHz && (!elsewhere.has(hash) || isImpulse(song, hash)),
  );
}

/** The hash of an impulse response by the name of its file, or what it was called where there is none of that name. */
export function impulseNamed(song: Song, called: string): string {
  return ownImpulses(song).find(({ fileName }) => fileName === called)?.hash ?? called;
}
