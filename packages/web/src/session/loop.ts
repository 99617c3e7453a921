import type { OpenSong } from './open-song.ts';

/** A loop shorter than 50 ms is a tone. */
const shortestSeconds = 1 / 20;

/** Loops between two places, whichever is first; a stretch that is too short is left alone. */
export function setLoopBetween(open: OpenSong, one: number, other: number, rateHz: number): void {
  const start = Math.max(0, Math.min(one, other));
  const end = Math.max(one, other);
  if (end - start > shortestSeconds * rateHz) open.playback.setLoop({ start, end }, true);
}

/** Sets one end of the loop to where the playhead is; the other end stays, or is that of the song. */
export function setLoopEnd(
  open: OpenSong,
  which: 'start' | 'end',
  frames: number,
  rateHz: number,
): void {
  const { frame, loop } = open.playback.store.getState();
  if (which === 'start')
    setLoopBetween(open, frame, loop && loop.end > frame ? loop.end : frames, rateHz);
  else setLoopBetween(open, loop && loop.start < frame ? loop.start : 0, frame, rateHz);
}
