import { roots } from '../rendering/plan.ts';
import { partsOfRoom, roomsBefore } from '../rooms/between.ts';
import { groupsAround } from '../song/along.ts';
import { groupOf } from '../song/groups.ts';
import { partsInOrder, type Song } from '../song/song.ts';

/** Something that sounds in a song by itself: a part, as its groups give it on, or what a room gives back. */
export interface Sounding {
  /** Of the part or the room. */
  readonly id: string;
  readonly name: string;
  readonly kind: 'part' | 'room';
  /** What of the song is needed, and the root that gives it. */
  readonly partIds: readonly string[];
  readonly root: string;
  /** Of a room: the parts and rooms that go into it, by whatever way round. It lies where they do on purpose. */
  readonly fedBy: readonly string[];
}

/** All that sounds, in the order of the parts, rooms behind them. A part in a group is what that gives where nothing else is in it. */
export function soundingIn(song: Song): Sounding[] {
  const heard = partsInOrder(song).filter(({ muted }) => !muted);
  const parts = heard.map(({ id, name }): Sounding => {
    const group = groupOf(song, id);
    const outermost = group && (groupsAround(song, group).at(-1) ?? group);
    const root = outermost ? roots.group(outermost.id) : roots.part(id);
    return { id, name, kind: 'part', partIds: [id], root, fedBy: [] };
  });
  const rooms = song.rooms.flatMap((room): Sounding[] => {
    const partIds = partsOfRoom(song.rooms, room).filter((id) =>
      heard.some((part) => part.id === id),
    );
    if (room.muted || partIds.length === 0) return [];
    const { id, name } = room;
    const fedBy = [...partIds, ...roomsBefore(song.rooms, room).map((before) => before.id)];
    return [{ id, name, kind: 'room', partIds, root: roots.room(id), fedBy }];
  });
  return [...parts, ...rooms];
}
