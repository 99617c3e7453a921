import * as z from 'zod';
import {
  choice,
  flag,
  group,
  id,
  text,
  thing,
  value,
  type Described,
} from '../parameters/description.ts';
import { feedParameters, roomParameters } from '../parameters/tables.ts';

export const roomKinds = ['hall', 'chamber', 'plate', 'ambience'] as const;
export type RoomKind = (typeof roomKinds)[number];

/** What of a part goes into a room: its image, all of it but the middle, or one of its voices. */
export const feedDescription = thing({
  partId: id('a part'),
  from: choice(['image', 'flanks', 'voice']).default('image'),
  /** Of the voice, where it is one; null otherwise. */
  voiceId: id('a voice').nullable().default(null),
  ...{ levelDb: value(feedParameters.levelDb) },
  /** Whether it is taken before the part's level, so that the room stays when the part is turned down. */
  beforeLevel: flag('Before the level').default(false),
});
export type Feed = Described<typeof feedDescription>;

/** Of several parts at most so many feeds. */
const mostFeeds = 128;

/** Something that parts are fed into, and that gives back a stereo sound of its own. */
export const roomDescription = thing({
  id: id('a room'),
  name: text("A room's name", 80),
  kind: choice(roomKinds).default('chamber'),
  ...group(roomParameters),
  muted: flag('Muted').default(false),
  /** The sides of its return that are heard. */
  side: choice(['both', 'left', 'right']).default('both'),
  feeds: z.array(feedDescription).max(mostFeeds).default([]),
});
export type Room = Described<typeof roomDescription>;

export const mostRooms = 8;

/** What a room sounds like, whoever feeds it. */
export type RoomSound = Omit<Room, 'id' | 'name' | 'muted' | 'feeds' | 'levelDb' | 'side'>;

export function newRoom(id: string, name: string, changes: Partial<Room> = {}): Room {
  return { ...(roomDescription.parse({ id, name }) as Room), ...changes };
}
