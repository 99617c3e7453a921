import { newRoom, type Room, type RoomKind } from './room.ts';

/** Where each kind of room begins: common practice, by ear on the demo song. */
const startingValues: Readonly<Record<RoomKind, Partial<Room>>> = {
  hall: {
    decayS: 2.4,
    lowPercent: 110,
    highPercent: 50,
    preDelayLeftMs: 28,
    preDelayRightMs: 28,
    earlyDb: -8,
    lowCutHz: 150,
    highCutHz: 7500,
    levelDb: -16,
  },
  chamber: { decayS: 1.1, preDelayLeftMs: 12, preDelayRightMs: 12, levelDb: -12 },
  plate: {
    decayS: 1.6,
    highPercent: 75,
    preDelayLeftMs: 0,
    preDelayRightMs: 0,
    lowCutHz: 200,
    highCutHz: null,
    levelDb: -14,
  },
  spring: {
    decayS: 1.8,
    highPercent: 70,
    preDelayLeftMs: 0,
    preDelayRightMs: 0,
    lowCutHz: 150,
    highCutHz: 4500,
    levelDb: -14,
  },
  echo: { preDelayLeftMs: 0, preDelayRightMs: 0, lowCutHz: null, highCutHz: null, levelDb: -14 },
  own: {
    preDelayLeftMs: 0,
    preDelayRightMs: 0,
    lowCutHz: null,
    highCutHz: null,
    levelDb: -12,
  },
  ambience: {
    decayS: 0.35,
    preDelayLeftMs: 0,
    preDelayRightMs: 0,
    earlyDb: 0,
    lowCutHz: 180,
    levelDb: -10,
  },
};

/** What a kind of room is called, and what it is. */
export const roomKindNames: Readonly<Record<RoomKind, string>> = {
  hall: 'hall',
  chamber: 'chamber',
  plate: 'plate-like',
  ambience: 'ambience',
  spring: 'spring',
  echo: 'echo',
  own: 'own response',
};

/** A room of a kind as it begins, with a name that is free. */
export function startingRoom(id: string, kind: RoomKind, taken: readonly string[]): Room {
  const base = roomKindNames[kind].replace(/^./, (letter) => letter.toUpperCase());
  let name = base;
  for (let n = 2; taken.includes(name); n++) name = `${base} ${n}`;
  return newRoom(id, name, { kind, ...startingValues[kind] });
}

/** A room that has become another kind: its sound begins there; what feeds it, its level and its own response stay. */
export function asKind(room: Room, kind: RoomKind): Room {
  const { id, name, muted, side, feeds, fromRooms, frozen, groupId, levelDb, own } = room;
  const kept = { name, muted, side, feeds, fromRooms, frozen, groupId, levelDb, own };
  return { ...startingRoom(id, kind, []), ...kept };
}
