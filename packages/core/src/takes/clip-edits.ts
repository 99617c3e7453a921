import { mostClips, type Clip } from './take.ts';

const { max, min, round } = Math;

/** A clip that is shorter is nothing that could be pressed or heard. */
const shortestFrames = 32;

/** All of a recording as the one clip that it is before it is cut. */
export function wholeClip(recordingFrames: number): Clip {
  return { fromFrame: 0, toFrame: recordingFrames, atFrame: 0, fadeInMs: 0, fadeOutMs: 0 };
}

/** A clip moved by so many frames, later above 0; no farther than to the song's beginning. */
export function movedClip(clip: Clip, by: number): Clip {
  return { ...clip, atFrame: max(0, clip.atFrame + round(by)) };
}

/** Its beginning (or its end) moved, what it shows staying where it lies; within the recording, and never to nothing. */
export function trimmedClip(
  clip: Clip,
  edge: 'start' | 'end',
  by: number,
  recordingFrames: number,
): Clip {
  const { fromFrame, toFrame, atFrame } = clip;
  if (edge === 'end') {
    const to = max(fromFrame + shortestFrames, min(recordingFrames, toFrame + round(by)));
    return { ...clip, toFrame: to };
  }
  const least = -min(fromFrame, atFrame);
  const most = max(0, toFrame - fromFrame - shortestFrames);
  const moved = max(least, min(most, round(by)));
  return { ...clip, fromFrame: fromFrame + moved, atFrame: atFrame + moved };
}

/**
 * Cut in two at a frame of the take, both halves where they lie; nothing is heard of it until one of them is moved.
 * @returns null where no clip lies there, or there are too many
 */
export function splitClips(clips: readonly Clip[], at: number): Clip[] | null {
  const n = clips.findIndex(
    ({ atFrame, fromFrame, toFrame }) =>
      at >= atFrame + shortestFrames && at <= atFrame + toFrame - fromFrame - shortestFrames,
  );
  if (n < 0 || clips.length >= mostClips) return null;
  const clip = clips[n];
  const within = clip.fromFrame + at - clip.atFrame;
  return clips.toSpliced(
    n,
    1,
    { ...clip, toFrame: within, fadeOutMs: 0 },
    { ...clip, fromFrame: within, atFrame: at, fadeInMs: 0 },
  );
}
