import type { Curve } from '../moves/curve.ts';
import type { Move, Song } from './song.ts';

export type MoveTarget = Move['target'];

/** The move of a thing's setting, if it has one. */
export function moveOf(
  song: Pick<Song, 'moves'>,
  { kind, id, parameter }: MoveTarget,
): Move | null {
  return (
    song.moves.find(
      ({ target }) => target.kind === kind && target.id === id && target.parameter === parameter,
    ) ?? null
  );
}

/**
 * The moves of a song with a curve for one setting, in the place of the one that it had; without any where it is null.
 * @param id of the move, where it is a new one
 */
export function withMove(
  song: Pick<Song, 'moves'>,
  target: MoveTarget,
  curve: Curve | null,
  id: string,
): Move[] {
  const known = moveOf(song, target);
  if (curve === null) return song.moves.filter((move) => move !== known);
  if (!known) return [...song.moves, { id, target, curve }];
  return song.moves.map((move) => (move === known ? { ...move, curve } : move));
}
