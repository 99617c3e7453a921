import { db, dbToGain } from '../quantities/units.ts';
import { inFlow } from '../rooms/between.ts';
import type { Feed, Room } from '../rooms/room.ts';
import { isNeutralBus, type Bus } from './kinds/bus.ts';
import { sameCut, type Cut } from './kinds/filter.ts';
import type { PlanNode } from './kinds/kinds.ts';
import { sameMatrix } from './kinds/matrix.ts';
import { samePlaced } from './kinds/placed.ts';
import type { RoomSettings } from './kinds/room.ts';
import { monitorInputs } from './kinds/monitor.ts';
import {
  isLowStrand,
  roots,
  type BedPlan,
  type PartPlan,
  type RenderPlan,
  type StrandPlan,
} from './plan.ts';
import type { PanLaw } from '../voices/pan-law.ts';
import { sameValue, scaled, type MovingValue, type Value } from './value.ts';

/** What moves of a part along the song. */
export interface PartMoves {
  /** Factors of its level, and of its flanks against the middle. */
  readonly level: Value;
  readonly flanks: Value;
  /** In the place of the stage's; null where it stands. */
  readonly width: MovingValue | null;
  /** Gains of the image and of plain, where one goes over to the other; null where the image is all. */
  readonly image: MovingValue | null;
  readonly plain: MovingValue | null;
  /** Of the voices that move. */
  readonly voices: readonly VoiceMoves[];
}

export interface VoiceMoves {
  readonly id: string;
  readonly level: Value;
  readonly place: MovingValue | null;
  /** Its high cut, where that moves; null where it stands. */
  readonly cut: Cut | null;
}

const still: PartMoves = {
  level: 1,
  flanks: 1,
  width: null,
  image: null,
  plain: null,
  voices: [],
};

/** What lies over the parts of a song. */
export interface Along {
  readonly panLaw: PanLaw;
  readonly bed: BedPlan | null;
  /** Each behind those that lie in it. */
  readonly groups: readonly {
    readonly id: string;
    readonly partIds: readonly string[];
    readonly parentId: string | null;
    readonly gain: Value;
    readonly bus: Bus;
  }[];
  readonly rooms: readonly Room[];
  /** A factor of what a room gives back. */
  readonly roomGain: (roomId: string) => Value;
  /** What a part is fed into a room at, of what is set. */
  readonly feedGain: (roomId: string, partId: string, base: number) => Value;
  readonly partMoves: (partId: string) => PartMoves;
}

const nothingAlong: Along = {
  panLaw: '-3',
  bed: null,
  groups: [],
  rooms: [],
  roomGain: () => 1,
  feedGain: (_, __, base) => base,
  partMoves: () => still,
};

/** Parts as a graph. A node that is what it was in `previous` is the same one, so that only what has changed is looked at. */
export function planOf(
  parts: readonly PartPlan[],
  rateHz: number,
  frames: number,
  along: Along = nothingAlong,
  previous: RenderPlan | null = null,
): RenderPlan {
  const { bed, groups, rooms } = along;
  const nodes: PlanNode[] = [];
  const moves = new Map(parts.map(({ id }) => [id, along.partMoves(id)]));
  const groupOf = (partId: string) => groups.find(({ partIds }) => partIds.includes(partId));
  for (const part of parts)
    nodes.push(...partNodes(part, moves.get(part.id) ?? still, along.panLaw));
  for (const { id, muted } of parts)
    nodes.push({
      kind: 'listened',
      id: roots.listened(roots.part(id)),
      partId: id,
      muted,
      inputs: [roots.part(id), roots.plain(id)],
    });
  const fed = roomNodes(parts, along, moves);
  nodes.push(...fed.nodes);
  for (const { id, partIds, gain, bus } of groups) {
    const members = parts.filter((part) => partIds.includes(part.id));
    const sounding = members.filter(({ muted }) => !muted);
    const within = [
      ...groups.flatMap((group) => (group.parentId === id ? [roots.group(group.id)] : [])),
      ...rooms.flatMap((room) => (room.groupId === id ? [roots.room(room.id)] : [])),
    ];
    const root = roots.group(id);
    const heard = [...within, ...members.map((part) => roots.part(part.id))].map(
      (input) => fed.returns.get(input) ?? roots.listened(input),
    );
    nodes.push(
      ...groupNodes(root, bus, gain, [...within, ...sounding.map((part) => roots.part(part.id))]),
      ...groupNodes(roots.listened(root), bus, gain, heard),
    );
  }
  const sounding = parts.filter(({ id, muted }) => !muted && !groupOf(id));
  const outermost = groups.filter(({ parentId }) => parentId === null);
  const intoSong = rooms.filter(({ groupId }) => groupId === null);
  nodes.push({
    kind: 'sum',
    id: roots.song,
    inputs: [
      ...outermost.map(({ id }) => roots.group(id)),
      ...sounding.map(({ id }) => roots.part(id)),
      ...intoSong.map(({ id }) => roots.room(id)),
    ],
  });
  if (bed) nodes.push({ kind: 'bed', id: `bed/${bed.left.key}/${bed.right.key}`, inputs: [], bed });
  const heard = {
    parts: parts.map(({ id }) => ({ id: roots.listened(roots.part(id)), direct: !groupOf(id) })),
    told: [...fed.told, ...fed.returns.values()],
    groups: outermost.map(({ id }) => roots.listened(roots.group(id))),
    rooms: intoSong.map(({ id }) => roots.listened(roots.room(id))),
    beds: bed ? [(nodes.at(-1) as PlanNode).id] : [],
  };
  nodes.push({ kind: 'monitor', id: roots.heard, inputs: monitorInputs(heard), ...heard });
  return { rateHz, frames, parts, nodes: keptNodes(nodes, previous) };
}

/** A group: what is done to all of it, where anything is, and its level. */
function groupNodes(id: string, bus: Bus, gain: Value, inputs: readonly string[]): PlanNode[] {
  if (isNeutralBus(bus)) return [{ kind: 'gain', id, inputs, gain }];
  return [
    { kind: 'bus', id: `${id}/bus`, inputs, bus },
    { kind: 'gain', id, inputs: [`${id}/bus`], gain },
  ];
}

/**
 * Each room twice: as it is exported, fed by the parts that are not muted, and as it is listened to, fed by what is heard of them.
 * @returns with what has to be told how it is listened to, and those of the returns that go into groups, by their roots
 */
function roomNodes(
  parts: readonly PartPlan[],
  { rooms, roomGain, feedGain }: Along,
  moves: ReadonlyMap<string, PartMoves>,
): {
  readonly nodes: readonly PlanNode[];
  readonly told: readonly string[];
  readonly returns: ReadonlyMap<string, string>;
} {
  const nodes: PlanNode[] = [];
  const told: string[] = [];
  const returns = new Map<string, string>();
  for (const { id, name: _, feeds, fromRooms, groupId, ...room } of inFlow(rooms)) {
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
      const gain = dbToGain(db(levelDb));
      nodes.push(
        { kind: 'gain', id: from, inputs: [before], gain },
        { kind: 'gain', id: roots.listened(from), inputs: [roots.listened(before)], gain },
      );
      inputs.push(from);
      heard.push(roots.listened(from));
    }
    nodes.push(
      ...ringing(root, inputs, room, roomGain(id)),
      ...ringing(roots.listened(root), heard, room, roomGain(id)),
    );
    if (groupId === null) continue;
    const gated = `${roots.listened(root)}/gated`;
    const of = [roots.listened(root)];
    nodes.push({ kind: 'listened', id: gated, partId: null, muted: false, inputs: of });
    returns.set(root, gated);
  }
  return { nodes, told, returns };
}

/** A room, and what it gives back: apart, so that it rings on when that begins to move. */
function ringing(
  id: string,
  inputs: readonly string[],
  room: RoomSettings,
  gain: Value,
): PlanNode[] {
  return [
    { kind: 'room', id: `${id}/ringing`, inputs, room },
    { kind: 'gain', id, inputs: [`${id}/ringing`], gain },
  ];
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
      { kind: 'listened', id: listened, partId: part.id, muted: part.muted, inputs: [source] },
      { kind: 'gain', id, inputs: [source], gain },
      { kind: 'gain', id: heard, inputs: [listened], gain },
    ],
    id,
    heard,
    told: listened,
  };
}

/** Nodes of plans of parts: a part that is what it was has the same ones. */
const nodesOfParts = new WeakMap<
  PartPlan,
  { readonly moves: PartMoves; readonly law: PanLaw; readonly nodes: PlanNode[] }
>();

function partNodes(part: PartPlan, moves: PartMoves, law: PanLaw): readonly PlanNode[] {
  const known = nodesOfParts.get(part);
  if (known?.law === law && sameMoves(known.moves, moves)) return known.nodes;
  const nodes = newPartNodes(part, moves, law);
  nodesOfParts.set(part, { moves, law, nodes });
  return nodes;
}

function sameMoves(a: PartMoves, b: PartMoves): boolean {
  const same = (one: Value | null, other: Value | null) =>
    one === other || (one !== null && other !== null && sameValue(one, other));
  return (
    same(a.level, b.level) &&
    same(a.flanks, b.flanks) &&
    same(a.width, b.width) &&
    same(a.image, b.image) &&
    a.voices.length === b.voices.length &&
    a.voices.every(
      ({ id, level, place, cut }, n) =>
        id === b.voices[n].id &&
        same(level, b.voices[n].level) &&
        same(place, b.voices[n].place) &&
        same(cut?.hz ?? null, b.voices[n].cut?.hz ?? null) &&
        same(cut?.q ?? null, b.voices[n].cut?.q ?? null),
    )
  );
}

/** One part: its readings, each voice of them, their sum, the stage, what moves it; and plain. */
function newPartNodes(part: PartPlan, moves: PartMoves, law: PanLaw): PlanNode[] {
  const { id, strands, stage, plain } = part;
  const read = strands.map((strand) => readingNodes(part, strand, moves, law));
  const given = read.map((nodes) => nodes[nodes.length - 1].id);
  const voices = [...new Set(strands.map(({ voiceId }) => voiceId))].map((voiceId): PlanNode => ({
    kind: 'sum',
    id: roots.voice(id, voiceId),
    inputs: given.filter((_, n) => strands[n].voiceId === voiceId),
  }));
  const take = `part/${id}/take`;
  return [
    ...read.flat(),
    ...voices,
    ...voicesTogether(part, given, moves.flanks),
    {
      kind: 'matrix',
      id: roots.stage(id),
      inputs: [`part/${id}/voices`],
      stage,
      width: moves.width,
    },
    { kind: 'reading', id: take, inputs: [], strand: plain.strand },
    { kind: 'gain', id: roots.plain(id), inputs: [take], gain: plain.level },
    ...imageOrPlain(part, moves),
  ];
}

/** What a part gives before its level moves: its image, or that and plain, of which one goes over to the other. */
function imageRoots(partId: string, { image }: PartMoves): string[] {
  return image ? [`part/${partId}/opened`, `part/${partId}/shut`] : [roots.stage(partId)];
}

/** The part as it is exported: its image, or plain in its place for as long as a move says so. */
function imageOrPlain({ id }: PartPlan, moves: PartMoves): PlanNode[] {
  const { image, plain, level } = moves;
  const inputs = imageRoots(id, moves);
  const own: PlanNode = { kind: 'gain', id: roots.part(id), inputs, gain: level };
  if (!image || !plain) return [own];
  return [
    { kind: 'gain', id: inputs[0], inputs: [roots.stage(id)], gain: image },
    { kind: 'gain', id: inputs[1], inputs: [roots.plain(id)], gain: plain },
    own,
  ];
}

/** One reading, and what moves of its voice; the last one gives all of it. */
function readingNodes(
  { id: partId }: PartPlan,
  strand: StrandPlan,
  { voices }: PartMoves,
  law: PanLaw,
): PlanNode[] {
  const id = `part/${partId}/strand/${strand.id}`;
  // The low end of all voices stands in the middle, and stays.
  const moves = isLowStrand(strand) ? undefined : voices.find((one) => one.id === strand.voiceId);
  const nodes: PlanNode[] = [];
  if (moves?.place && strand.placed) {
    const { gain, as } = strand.placed;
    nodes.push(
      {
        kind: 'reading',
        id: `${id}/unplaced`,
        inputs: [],
        strand: { ...strand, left: gain, right: gain },
      },
      {
        kind: 'placed',
        id: `${id}/placed`,
        inputs: [`${id}/unplaced`],
        place: moves.place,
        law,
        as,
      },
    );
  } else nodes.push({ kind: 'reading', id, inputs: [], strand });
  const last = () => [nodes[nodes.length - 1].id];
  if (moves?.cut) nodes.push({ kind: 'filter', id: `${id}/cut`, inputs: last(), cut: moves.cut });
  if (moves && typeof moves.level !== 'number')
    nodes.push({
      kind: 'gain',
      id: `${id}/moved`,
      inputs: last(),
      gain: moves.level,
    });
  return nodes;
}

/** The flanks of a part where they move: all readings of them, at what they move to. */
const movedFlanks = (partId: string) => `part/${partId}/flanks`;

/** @param given what each strand gives, by its node */
function voicesTogether(
  { id, strands, flanks }: PartPlan,
  given: readonly string[],
  moves: Value,
): PlanNode[] {
  const together = `part/${id}/voices`;
  // Not of the voices but of all their readings: the order in which they are added is that of the strands.
  if (typeof moves === 'number') return [{ kind: 'sum', id: together, inputs: given }];
  // The low end of all voices stands in the middle, and stays.
  const isFlank = strands.map(
    (strand) => flanks.voiceIds.includes(strand.voiceId) && !isLowStrand(strand),
  );
  const chosen = (flank: boolean) => given.filter((_, n) => isFlank[n] === flank);
  return [
    { kind: 'gain', id: movedFlanks(id), inputs: chosen(true), gain: moves },
    { kind: 'sum', id: together, inputs: [...chosen(false), movedFlanks(id)] },
  ];
}

/** Nodes of before in the place of those that are the same: of parts that have not changed without a look inside. */
function keptNodes(nodes: readonly PlanNode[], previous: RenderPlan | null): PlanNode[] {
  if (!previous) return [...nodes];
  const before = new Map(previous.nodes.map((node) => [node.id, node]));
  return nodes.map((node) => {
    const known = before.get(node.id);
    return known && known !== node && sameNode(known, node) ? known : node;
  });
}

function sameNode(a: PlanNode, b: PlanNode): boolean {
  if (a.kind !== b.kind || a.inputs.length !== b.inputs.length) return false;
  if (a.inputs.some((id, n) => id !== b.inputs[n])) return false;
  switch (a.kind) {
    case 'sum':
      return true;
    case 'reading':
      return sameStrand(a.strand, (b as typeof a).strand);
    case 'matrix':
      return sameMatrix(a, b as typeof a);
    case 'filter':
      return sameCut(a.cut, (b as typeof a).cut);
    case 'placed':
      return samePlaced(a, b as typeof a);
    case 'gain':
      return sameValue(a.gain, (b as typeof a).gain);
    case 'bed':
      return a.bed.gain === (b as typeof a).bed.gain;
    case 'listened':
      return a.muted === (b as typeof a).muted && a.partId === (b as typeof a).partId;
    case 'bus':
      return sameValues(a.bus, (b as typeof a).bus);
    case 'room':
      return sameRoom(a.room, (b as typeof a).room);
    case 'monitor':
      return a.parts.every(({ direct }, n) => direct === (b as typeof a).parts[n]?.direct);
  }
}

/** The document never changes in place: what is the same thing has the same values. */
function sameValues<Thing extends object>(a: Thing, b: Thing): boolean {
  return (Object.keys(a) as (keyof Thing)[]).every((key) => a[key] === b[key]);
}

function sameRoom({ echo, ...a }: RoomSettings, { echo: other, ...b }: RoomSettings): boolean {
  return sameValues(a, b) && sameValues(echo, other);
}

function sameStrand(a: StrandPlan, b: StrandPlan): boolean {
  return (
    a === b ||
    (a.source.key === b.source.key &&
      a.delayFrames === b.delayFrames &&
      a.left === b.left &&
      a.right === b.right &&
      a.awaits === b.awaits &&
      a.tuning?.key === b.tuning?.key &&
      a.drift?.key === b.drift?.key)
  );
}
