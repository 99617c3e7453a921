import type { Take } from '@pannet/core/song/song';
import { wholeClip } from '@pannet/core/takes/clip-edits';

/**
 * A take moved by so many frames, later above 0, whatever it is made of: a path is shifted, clips are put elsewhere, an uncut recording becomes
 * one clip. What would lie before the song's beginning is cut off.
 * @returns null where nothing of it would be left
 */
export function nudged(take: Take, recordingFrames: number, by: number): Partial<Take> | null {
  const path = take.align?.path;
  if (take.align && path)
    return {
      align: {
        ...take.align,
        anchors: take.align.anchors
          .map(({ place, at }) => ({ place, at: at + by }))
          .filter(({ at }) => at >= 0),
        path: {
          ...path,
          // The first place counts from the beginning; the others lie where they are heard.
          at: path.at.map((at, n) => (n === 0 ? 0 : Math.max(n, at + by))),
          shift: path.shift.map((shift) => shift - by),
        },
      },
    };
  const clips = take.clips ?? [wholeClip(recordingFrames)];
  const moved = clips.flatMap((clip) => {
    const before = Math.max(0, -(clip.atFrame + by));
    const fromFrame = clip.fromFrame + before;
    return fromFrame < clip.toFrame
      ? [{ ...clip, fromFrame, atFrame: Math.max(0, clip.atFrame + by) }]
      : [];
  });
  return moved.length > 0 ? { clips: moved } : null;
}
