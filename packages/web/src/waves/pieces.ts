import { alignedArrangement, clipsArrangement, type Piece } from '@pannet/core/takes/arrangement';
import type { Take } from '@pannet/core/takes/take';

/** Where stretches of the recording lie: its clips, moved as the path says. */
export function piecesOf(
  take: Pick<Take, 'clips' | 'align'>,
  frames: number,
  rateHz: number,
): readonly Piece[] {
  const whole: Piece = { at: 0, from: 0, count: frames, fadeIn: 0, fadeOut: 0, likeness: 1 };
  const clipped = clipsArrangement(take, frames, rateHz);
  const clips = clipped?.pieces ?? [whole];
  const path = alignedArrangement(take, clipped?.frames ?? frames, rateHz);
  if (!path) return clips;
  const pieces: Piece[] = [];
  for (const moved of path.pieces)
    for (const clip of clips) {
      const from = Math.max(moved.from, clip.at);
      const to = Math.min(moved.from + moved.count, clip.at + clip.count);
      if (to > from)
        pieces.push({
          ...whole,
          at: moved.at + from - moved.from,
          from: clip.from + from - clip.at,
          count: to - from,
        });
    }
  return pieces;
}
