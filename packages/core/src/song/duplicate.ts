import type { Edit } from './edits/edit.ts';
import { groupOf, inGroup } from './groups.ts';
import { belongsToPart } from './moves-of.ts';
import type { Move, Part, Song } from './song.ts';

/**
 * All that has to be done so that a part is there twice and sounds as it does: in its group, in the rooms that it feeds, and moving as it moves.
 * @param copy with an id and a name of its own; it stands under the part
 * @param newId gives the ids of the moves
 */
export function duplicateEdits(song: Song, part: Part, copy: Part, newId: () => string): Edit[] {
  const edits: Edit[] = [
    { kind: 'add-part', part: copy, index: song.partOrder.indexOf(part.id) + 1 },
  ];
  const group = groupOf(song, part.id);
  if (group) edits.push({ kind: 'set-groups', groups: inGroup(song, group.id, [copy.id]) });
  if (song.rooms.some(({ feeds }) => feeds.some(({ partId }) => partId === part.id)))
    edits.push({
      kind: 'set-rooms',
      rooms: song.rooms.map((room) => ({
        ...room,
        feeds: [
          ...room.feeds,
          ...room.feeds
            .filter(({ partId }) => partId === part.id)
            .map((feed) => ({ ...feed, partId: copy.id })),
        ],
      })),
    });
  const moves = song.moves
    .filter(({ target }) => belongsToPart(target, part.id))
    .map((move): Move => {
      const { target } = move;
      const of = target.kind === 'feed' ? { ...target, of: copy.id } : { ...target, id: copy.id };
      return { ...move, id: newId(), target: of };
    });
  if (moves.length > 0) edits.push({ kind: 'set-moves', moves: [...song.moves, ...moves] });
  return edits;
}
