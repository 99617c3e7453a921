import type { ImageMove, Move } from './along.ts';
import type { Edit } from './edits/edit.ts';
import { isSame } from '../parameters/same.ts';
import { withMove, type MoveTarget } from './moves-of.ts';
import type { Part, Song } from './song.ts';

/** Whether a move belongs to the image of a part: its level does not, nor what it feeds rooms by. */
function isOfImage({ kind, id, parameter }: MoveTarget, partId: string): boolean {
  return id === partId && (kind === 'voice' || (kind === 'part' && parameter !== 'levelDb'));
}

/** How the image of a part moves along the song, always in the same order. */
export function movesOfImage({ moves }: Pick<Song, 'moves'>, partId: string): ImageMove[] {
  return moves
    .filter(({ target }) => isOfImage(target, partId))
    .map(({ target: { of, parameter }, curve }): ImageMove => ({ of, parameter, curve }))
    .sort((a, b) => (nameOf(a) < nameOf(b) ? -1 : 1));
}

const nameOf = ({ of, parameter }: ImageMove) => `${of ?? ''}/${parameter}`;

/**
 * The moves of a song with others for the image of a part.
 * @param newId for each that there was none of
 */
export function withMovesOfImage(
  song: Pick<Song, 'moves'>,
  partId: string,
  ofImage: readonly ImageMove[],
  newId: () => string,
): readonly Move[] {
  const targets = ofImage.map(({ of, parameter }): MoveTarget => ({
    kind: of === null ? 'part' : 'voice',
    id: partId,
    of,
    parameter,
  }));
  let moves: readonly Move[] = song.moves.filter(
    ({ target }) =>
      !isOfImage(target, partId) ||
      targets.some(({ of, parameter }) => of === target.of && parameter === target.parameter),
  );
  for (const [n, target] of targets.entries())
    moves = withMove({ moves }, target, ofImage[n].curve, newId());
  return moves;
}

/** What is kept of a part under a number key: its image, and how that moves. */
export function keptDraft(song: Song, part: Part, number: string): Edit {
  return {
    kind: 'set-draft',
    partId: part.id,
    number,
    image: part.image,
    moves: movesOfImage(song, part.id),
  };
}

/** Takes up a draft: its image, and how that moves where that was kept. */
export function draftEdits(song: Song, part: Part, number: string, newId: () => string): Edit[] {
  const kept = part.draftMoves[number] as readonly ImageMove[] | undefined;
  return [
    { kind: 'set-image', partId: part.id, image: part.drafts[number] },
    ...(kept && !isSame(kept, movesOfImage(song, part.id))
      ? [{ kind: 'set-moves', moves: [...withMovesOfImage(song, part.id, kept, newId)] } as const]
      : []),
  ];
}

/** A song in which a part is one of its drafts, to be measured as that. */
export function withDraft(song: Song, part: Part, number: string): Song {
  const kept = part.draftMoves[number] as readonly ImageMove[] | undefined;
  let made = 0;
  return {
    ...song,
    parts: { ...song.parts, [part.id]: { ...part, image: part.drafts[number] } },
    moves: kept
      ? withMovesOfImage(song, part.id, kept, () => `draft-${number}-${made++}`)
      : song.moves,
  };
}

/** Whether the image of a part is a draft of it as that was kept, its moves with it. */
export function isDraft(song: Pick<Song, 'moves'>, part: Part, number: string): boolean {
  const kept = part.draftMoves[number] as readonly ImageMove[] | undefined;
  return (
    isSame(part.drafts[number], part.image) && (!kept || isSame(kept, movesOfImage(song, part.id)))
  );
}
