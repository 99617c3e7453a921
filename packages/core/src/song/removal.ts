import type { Edit } from './edits/edit.ts';
import { frozenAs } from './frozen.ts';
import { groupOf, inGroup } from './groups.ts';
import { belongsToPart } from './moves-of.ts';
import type { Song } from './song.ts';

/** All that has to be done so that a part is gone: it leaves its group, feeds no room, and nothing of it moves. */
export function removalEdits(song: Song, partId: string): Edit[] {
  const edits: Edit[] = [];
  if (groupOf(song, partId))
    edits.push({ kind: 'set-groups', groups: inGroup(song, null, [partId]) });
  const moves = song.moves.filter(({ target }) => !belongsToPart(target, partId));
  if (moves.length < song.moves.length) edits.push({ kind: 'set-moves', moves });
  if (song.rooms.some(({ feeds }) => feeds.some((feed) => feed.partId === partId)))
    edits.push({
      kind: 'set-rooms',
      rooms: song.rooms.map((room) => ({
        ...room,
        feeds: room.feeds.filter((feed) => feed.partId !== partId),
      })),
    });
  edits.push({ kind: 'remove-part', partId });
  const { frozen } = song.parts[partId];
  // What it was frozen as nobody needs any more.
  if (frozen && frozenAs(song, frozen.recording).length === 1)
    edits.push({ kind: 'drop-recording', hash: frozen.recording });
  return edits;
}
