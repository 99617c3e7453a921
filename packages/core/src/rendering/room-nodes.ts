import { db, dbToGain } from '../quantities/units.ts';
import { inFlow } from '../rooms/between.ts';
import type { AnySound, Feed, Room } from '../rooms/room.ts';
import type { NodeBase } from './kinds/kind.ts';
import type { PlanNode } from './kinds/kinds.ts';
import type { RoomSettings } from './kinds/room.ts';
import {
  frozenNodes,
  imageRoots,
  movedFlanks,
  still,
  type FrozenAs,
  type PartMoves,
} from './part-nodes.ts';
import { roots, type PartPlan } from './plan.ts';
import { scaled, type Value } from './value.ts';

/** A room with what it rings by, where that is recorded; and what is read in its place, where it is frozen. */
export type RoomAlong = Room &
  Pick<AnySound, 'response' | 'times'> & { readonly frozenAs?: FrozenAs | undefined };

/** Rooms, and how they move along the song. */
export interface RoomsAlong {
  readonly rooms: readonly RoomAlong[];
  /** A factor of what a room gives back. */
  readonly roomGain: (roomId: string) => Value;
  /** What a part or another room is fed into a room at, of what is set. */
  readonly feedGain: (roomId: string, fromId: string, base: number) => Value;
}

/**
 * Each room twice: as it is exported, fed by the parts that are not muted, and as it is listened to, fed by what is heard of them.
 * @returns with what has to be told how it is listened to, and those of the returns that go into groups, by their roots
 */
export function roomNodes(
  parts: readonly PartPlan[],
  { rooms, roomGain, feedGain }: RoomsAlong,
  moves: ReadonlyMap<string, PartMoves>,
): {
  readonly nodes: readonly PlanNode[];
  readonly told: readonly string[];
  readonly returns: ReadonlyMap<string, string>;
} {
  const nodes: PlanNode[] = [];
  const told: string[] = [];
  const returns = new Map<string, string>();
  for (const one of inFlow(rooms)) {
    const { id, name: _, feeds, fromRooms, frozen: __, frozenAs, groupId, ...room } = one;
    const root = roots.room(id);
    const inputs: string[] = [];
    const heard: string[] = [];
    for (const [n, feed] of feeds.entries()) {
      const part = parts.find((one) => one.id === feed.partId);
      if (!part) continue;
      const gain = feedGain(id, part.id, dbToGain(db(feed.levelDb)));
      const fed = fedNodes(part, feed, `${root}/feed/${n}`, gain, moves.get(part.id) ?? still);
      nodes.push(...fed.nodes);
      if (!part.muted) inputs.push(fed.id);
      heard.push(fed.heard);
      if (fed.told !== null) told.push(fed.told);
    }
    for (const { roomId, levelDb } of fromRooms) {
      const from = `${root}/from/${roomId}`;
      const before = roots.room(roomId);
      const gain = feedGain(id, roomId, dbToGain(db(levelDb)));
      nodes.push(
        { kind: 'gain', id: from, inputs: [before], gain },
        { kind: 'gain', id: roots.listened(from), inputs: [roots.listened(before)], gain },
      );
      inputs.push(from);
      heard.push(roots.listened(from));
    }
    nodes.push(
      ...(frozenAs
        ? [root, roots.listened(root)].flatMap((of) => frozenNodes(of, frozenAs, roomGain(id)))
        : [
            ...ringing(root, inputs, room, roomGain(id)),
            ...ringing(roots.listened(root), heard, room, roomGain(id)),
          ]),
    );
    if (groupId === null) continue;
    const gated = `${roots.listened(root)}/gated`;
    const of = [roots.listened(root)];
    const nobody = { partId: null, groupId: null, muted: false };
    nodes.push({ kind: 'listened', id: gated, ...nobody, inputs: of });
    returns.set(root, gated);
  }
  return { nodes, told, returns };
}

/** Of what rings, of a room. */
export const ringingRoot = (root: string) => `${root}/ringing`;

/** A room, and what it gives back: apart, so that it rings on when that begins to move. */
function ringing(
  id: string,
  inputs: readonly string[],
  room: RoomSettings,
  gain: Value,
): PlanNode[] {
  return [
    { kind: 'room', id: ringingRoot(id), inputs, room },
    { kind: 'gain', id, inputs: [ringingRoot(id)], gain },
  ];
}

/** Whether something rings on after what feeds it: a room, or what is read in the place of one. */
export function ringsOn(nodes: readonly NodeBase[]): boolean {
  return (nodes as readonly PlanNode[]).some(
    ({ kind, id }) => kind === 'room' || (kind === 'reading' && id.startsWith(roots.room(''))),
  );
}

interface Fed {
  readonly nodes: readonly PlanNode[];
  /** What goes into the room that is exported, and into the one that is listened to. */
  readonly id: string;
  readonly heard: string;
  /** What has to be told how it is listened to; null where the part itself is that. */
  readonly told: string | null;
}

/**
 * @param gain of the feed
 * @param moves of the part along the song
 */
function fedNodes(part: PartPlan, feed: Feed, id: string, gain: Value, moves: PartMoves): Fed {
  const { level } = part.plain;
  const heard = roots.listened(id);
  if (feed.from === 'image' && !feed.beforeLevel) {
    const own = roots.part(part.id);
    return {
      nodes: [
        { kind: 'gain', id, inputs: [own], gain },
        { kind: 'gain', id: heard, inputs: [roots.listened(own)], gain },
      ],
      id,
      heard,
      told: null,
    };
  }
  // What is not the part as it is mixed is taken where it comes from, and listened to by itself.
  const source = `${id}/source`;
  const listened = roots.listened(source);
  const taken =
    feed.from === 'voice'
      ? [roots.voice(part.id, feed.voiceId ?? '')]
      : typeof moves.flanks === 'number'
        ? part.flanks.voiceIds.map((voiceId) => roots.voice(part.id, voiceId))
        : [movedFlanks(part.id)];
  // Where plain stands in the place of the image, nothing of that goes in.
  const opened = `${id}/opened`;
  const nodes: PlanNode[] =
    feed.from === 'image'
      ? [{ kind: 'gain', id: source, inputs: imageRoots(part.id, moves), gain: 1 / level }]
      : [
          ...(moves.image
            ? [{ kind: 'gain', id: opened, inputs: taken, gain: moves.image } as const]
            : []),
          {
            kind: 'gain',
            id: source,
            inputs: moves.image ? [opened] : taken,
            gain: scaled(
              feed.beforeLevel ? 1 : moves.level,
              part.flanks.trim * (feed.beforeLevel ? 1 : level),
            ),
          },
        ];
  return {
    nodes: [
      ...nodes,
      {
        kind: 'listened',
        id: listened,
        partId: part.id,
        groupId: null,
        muted: part.muted,
        inputs: [source],
      },
      { kind: 'gain', id, inputs: [source], gain },
      { kind: 'gain', id: heard, inputs: [listened], gain },
    ],
    id,
    heard,
    told: listened,
  };
}
