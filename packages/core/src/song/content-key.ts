import { groupsAround, type Group } from './along.ts';
import { partsUnder } from './groups.ts';
import { belongsToPart } from './moves-of.ts';
import type { Part, Song } from './song.ts';

/**
 * All that a part's figures depend on, as one text: what differs in it is never shown as current. What is for the ears alone
 * (mute, solo, the level that is held) is not in it.
 * @param stretch what was measured, in frames; left out where the figures tell it themselves
 */
export function contentKey(
  song: Song,
  part: Part,
  stretch?: { readonly start: number; readonly end: number },
): string {
  const moves = song.moves.filter(
    ({ target }) => target.kind !== 'feed' && belongsToPart(target, part.id),
  );
  return JSON.stringify([
    part.image,
    part.preparation,
    takesText(part.takes),
    part.levelDb,
    part.plainVoice,
    song.panLaw,
    song.rateHz,
    moves.length > 0 ? [moves, song.tempo] : null,
    stretch ?? null,
  ]);
}

/** All that the figures of a group depend on: what is in it, whatever happens elsewhere in the song. */
export function groupContentKey(song: Song, group: Group): string {
  const partIds = partsUnder(song, group);
  const groups = song.groups.filter(
    (one) => one.id === group.id || groupsAround(song, one).includes(group),
  );
  const ids = groups.map(({ id }) => id);
  return JSON.stringify([
    partIds.map((id) => [song.parts[id].muted, contentKey(song, song.parts[id])]),
    // What they are called and what else they could be changes nothing.
    groups.map(({ name: _, drafts: __, draft: ___, ...rest }) => rest),
    song.moves.filter(({ target }) => target.kind === 'group' && ids.includes(target.id)),
    song.tempo,
    roomsKey(song, ids),
  ]);
}

/** Rooms that give back into groups bring with them what feeds them, from wherever it comes. */
function roomsKey(song: Song, groupIds: readonly string[]): unknown {
  if (!song.rooms.some(({ groupId }) => groupId !== null && groupIds.includes(groupId)))
    return null;
  const parts = song.partOrder.map((id) => [
    song.parts[id].muted,
    contentKey(song, song.parts[id]),
  ]);
  return [song.rooms, song.moves, parts];
}

/** Paths of lined-up takes are long, and stay the same while all else of a part is dragged. */
const texts = new WeakMap<Part['takes'], string>();

function takesText(takes: Part['takes']): string {
  let text = texts.get(takes);
  if (text === undefined) texts.set(takes, (text = JSON.stringify(takes)));
  return text;
}
