import { failure, type Outcome } from '../outcome.ts';
import type { Room } from './room.ts';

type Rooms = readonly Room[];

/** Rooms behind those that go into them. Of rooms that went round in a circle none would come. */
export function inFlow<One extends Room>(rooms: readonly One[]): One[] {
  const found: One[] = [];
  let left = [...rooms];
  for (;;) {
    const ids = new Set(left.map(({ id }) => id));
    const ready = left.filter(({ fromRooms }) => fromRooms.every(({ roomId }) => !ids.has(roomId)));
    if (ready.length === 0) return found;
    found.push(...ready);
    left = left.filter((room) => !ready.includes(room));
  }
}

/** A room and all that go into it, by whatever way round. */
export function roomsBefore(rooms: Rooms, room: Room): Room[] {
  const found = new Set<Room>([room]);
  for (const one of found)
    for (const { roomId } of one.fromRooms) {
      const before = rooms.find(({ id }) => id === roomId);
      if (before) found.add(before);
    }
  return [...found];
}

/** The parts that a room needs, those of the rooms that go into it included. */
export function partsOfRoom(rooms: Rooms, room: Room): string[] {
  return [
    ...new Set(roomsBefore(rooms, room).flatMap(({ feeds }) => feeds.map(({ partId }) => partId))),
  ];
}

/** The rooms that may go into a room: not itself, and none that it goes into. */
export function mayGoInto(rooms: Rooms, room: Room): Room[] {
  return rooms.filter((other) => !roomsBefore(rooms, other).includes(room));
}

/** All rooms but one, which feeds no other any more. */
export function withoutRoom(rooms: Rooms, roomId: string): Room[] {
  return rooms.flatMap((room): Room[] => {
    if (room.id === roomId) return [];
    const fromRooms = room.fromRooms.filter((feed) => feed.roomId !== roomId);
    return [fromRooms.length < room.fromRooms.length ? { ...room, fromRooms } : room];
  });
}

/** What rooms may not be to each other; null where they may. */
export function refusedRooms(rooms: Rooms, groupIds: ReadonlySet<string>): Outcome<never> | null {
  for (const [n, room] of rooms.entries()) {
    const place = `rooms[${n}]`;
    if (room.groupId !== null && !groupIds.has(room.groupId))
      return failure('no-group', 'A room gives back into a group of the song.', `${place}.groupId`);
    const from = room.fromRooms.map(({ roomId }) => roomId);
    if (
      from.some((id) => !rooms.some((one) => one.id === id)) ||
      new Set(from).size !== from.length
    )
      return failure(
        'no-room',
        'A room is fed by other rooms of the song, each once.',
        `${place}.fromRooms`,
      );
  }
  const flowing = inFlow(rooms);
  const stuck = rooms.findIndex((room) => !flowing.includes(room));
  if (stuck < 0) return null;
  return failure(
    'circle',
    `“${rooms[stuck].name}” would feed itself by way of other rooms. An echo feeds itself by its feedback.`,
    `rooms[${stuck}].fromRooms`,
  );
}
