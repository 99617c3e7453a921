import * as z from 'zod';
import {
  choice,
  contentHash,
  flag,
  group,
  id,
  text,
  thing,
  value,
  withDefaults,
  type Described,
} from '../parameters/description.ts';
import {
  echoParameters,
  feedParameters,
  responseParameters,
  roomParameters,
} from '../parameters/tables.ts';
import type { RoomResponse } from './response.ts';

/** Characters of one network. */
export const networkKinds = ['hall', 'chamber', 'plate', 'ambience'] as const;
export type NetworkKind = (typeof networkKinds)[number];

export const roomKinds = [...networkKinds, 'spring', 'echo', 'own'] as const;
export type RoomKind = (typeof roomKinds)[number];

/** What of a part goes into a room: its image, all of it but the middle, or one of its voices. */
export const feedDescription = thing({
  partId: id('a part'),
  from: choice(['image', 'flanks', 'voice']).default('image'),
  /** Of the voice, where it is one; null otherwise. */
  voiceId: id('a voice').nullable().default(null),
  levelDb: value(feedParameters.levelDb),
  /** Whether it is taken before the part's level, so that the room stays when the part is turned down. */
  beforeLevel: flag('Before the level').default(false),
});
export type Feed = Described<typeof feedDescription>;

/** What of another room goes into one. */
export const roomFeedDescription = thing({
  roomId: id('a room'),
  levelDb: value(feedParameters.levelDb),
});

export const mostRooms = 8;

/** Of several parts at most so many feeds. */
const mostFeeds = 128;

/** What a room of the engineer's own response is. */
const ownShape = {
  /** The recording of it; null while there is none: then it gives nothing back. */
  recording: contentHash().nullable().default(null),
  /** Whether the middle of what goes in reaches both of its sides, and not each side its own. */
  together: flag('Both sides together').default(false),
  ...group(responseParameters),
};

/** What was rendered ahead to be read in the place of what it was rendered of. */
const frozenShape = {
  recording: contentHash(),
  /** Of all that it was rendered of. */
  key: text('What was frozen', 64),
};
export const frozenDescription = thing(frozenShape);

/** Something that parts are fed into, and that gives back a stereo sound of its own. */
export const roomDescription = thing({
  id: id('a room'),
  name: text("A room's name", 80),
  kind: choice(roomKinds).default('chamber'),
  ...group(roomParameters),
  /** Of an echo alone. */
  echo: withDefaults(group(echoParameters)),
  /** Of a response of the engineer's own alone. */
  own: withDefaults(ownShape),
  muted: flag('Muted').default(false),
  /** The sides of its return that are heard. */
  side: choice(['both', 'left', 'right']).default('both'),
  feeds: z.array(feedDescription).max(mostFeeds).default([]),
  /** Other rooms whose returns go into it. */
  fromRooms: z.array(roomFeedDescription).max(mostRooms).default([]),
  /** What it gives back, rendered ahead: read in its place for as long as that is what it would be. */
  frozen: thing({
    ...frozenShape,
    /** Its level then. */
    levelDb: value(roomParameters.levelDb),
  })
    .nullable()
    .default(null),
  /** The group that it gives back into; null for the song. */
  groupId: id('a group').nullable().default(null),
});
export type Room = Described<typeof roomDescription>;

/** How late an echo comes back from a time of the song on. */
export interface EchoTime {
  readonly atS: number;
  readonly timeMs: number;
}

/** What a room sounds like, whoever feeds it. */
export type AnySound = Omit<
  Room,
  'id' | 'name' | 'muted' | 'feeds' | 'fromRooms' | 'frozen' | 'groupId' | 'levelDb' | 'side'
> & {
  /** What it rings by, where that was recorded and is ready. */
  readonly response?: RoomResponse;
  /** Of an echo that goes by a tempo which changes: the first one holds from the beginning. */
  readonly times?: readonly EchoTime[];
};
/** Of one that is a network. */
export type RoomSound = AnySound & { readonly kind: NetworkKind };

export function isNetwork(sound: AnySound): sound is RoomSound {
  return (networkKinds as readonly RoomKind[]).includes(sound.kind);
}

/** What rings: it works through both sides in order, linear, and the same whenever it begins from silence at the same place of the song. */
export interface Ringing {
  /** Whether it can go over to that while it plays, or another one has to be made for it. */
  fits(sound: AnySound): boolean;
  /** Takes up what has changed, of a sound that fits. */
  aim(sound: AnySound): void;
  /** Is at its goal at once. */
  settle(): void;
  /** Hears nothing of what came before. */
  clear(): void;
  /**
   * So many frames of both sides in, 128 at most, and of the early and the late return of both out; nothing is allocated.
   * @param frame of the song, of the first of them
   */
  process(
    left: Float64Array,
    right: Float64Array,
    early: Sides,
    late: Sides,
    count: number,
    frame: number,
  ): void;
}

export type Sides = readonly [Float64Array, Float64Array];

export function newRoom(id: string, name: string, changes: Partial<Room> = {}): Room {
  return { ...(roomDescription.parse({ id, name }) as Room), ...changes };
}
