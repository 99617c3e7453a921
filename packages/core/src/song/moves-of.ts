import { isSame } from '../parameters/same.ts';
import type { Curve } from '../moves/curve.ts';
import type { Move, Song } from './song.ts';

export type MoveTarget = Move['target'];

/** The move of a thing's setting, if it has one. */
export function moveOf(
  song: Pick<Song, 'moves'>,
  { kind, id, of, parameter }: MoveTarget,
): Move | null {
  return (
    song.moves.find(
      ({ target }) =>
        target.kind === kind &&
        target.id === id &&
        target.of === of &&
        target.parameter === parameter,
    ) ?? null
  );
}

/** Whether something of a part moves: itself, one of its voices, or what it feeds rooms by. */
export function belongsToPart({ kind, id, of }: MoveTarget, partId: string): boolean {
  return kind === 'feed' ? of === partId : (kind === 'part' || kind === 'voice') && id === partId;
}

/** Whether something of a part moves by which its fold is now this, now that: what stands still foretells nothing of it then. */
export function movesItsFold({ moves }: Pick<Song, 'moves'>, partId: string): boolean {
  return moves.some(
    ({ target }) =>
      target.kind !== 'feed' &&
      belongsToPart(target, partId) &&
      (target.kind === 'voice' || target.parameter !== 'levelDb'),
  );
}

/** Whether something of a room moves: what it gives back, or what it is fed by. */
export function belongsToRoom({ kind, id }: MoveTarget, roomId: string): boolean {
  return (kind === 'room' || kind === 'feed') && id === roomId;
}

/** Whether a move names a room: it is of it, or of what it feeds another one by. */
export function namesRoom(target: MoveTarget, roomId: string): boolean {
  return belongsToRoom(target, roomId) || (target.kind === 'feed' && target.of === roomId);
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

/**
 * Moves in which those that are what they were are the same things: an edit names all of them, and only what differs is compiled and drawn anew.
 */
export function keptMoves(before: readonly Move[], after: readonly Move[]): readonly Move[] {
  const known = new Map(before.map((move) => [move.id, move]));
  return after.map((move) => {
    const was = known.get(move.id);
    return was && isSame(was, move) ? was : move;
  });
}

export function partTarget(id: string, parameter: MoveTarget['parameter']): MoveTarget {
  return { kind: 'part', id, of: null, parameter };
}

export function voiceTarget(
  partId: string,
  voiceId: string,
  parameter: MoveTarget['parameter'],
): MoveTarget {
  return { kind: 'voice', id: partId, of: voiceId, parameter };
}

/** The level of a group or a room. */
export function levelTarget(kind: 'group' | 'room', id: string): MoveTarget {
  return { kind, id, of: null, parameter: 'levelDb' };
}

/** What a part, by all of its feeds, or another room is fed into a room at. */
export function feedTarget(roomId: string, fromId: string): MoveTarget {
  return { kind: 'feed', id: roomId, of: fromId, parameter: 'levelDb' };
}
