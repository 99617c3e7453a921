import { isNeutralBus, type Bus } from './kinds/bus.ts';
import { sameCut } from './kinds/filter.ts';
import type { PlanNode } from './kinds/kinds.ts';
import { sameMatrix } from './kinds/matrix.ts';
import { samePlaced } from './kinds/placed.ts';
import type { RoomSettings } from './kinds/room.ts';
import { monitorInputs } from './kinds/monitor.ts';
import { partNodes, still, type PartMoves } from './part-nodes.ts';
import { roots, type BedPlan, type PartPlan, type RenderPlan, type StrandPlan } from './plan.ts';
import { roomNodes, type RoomsAlong } from './room-nodes.ts';
import { isSame } from '../parameters/same.ts';
import type { PanLaw } from '../voices/pan-law.ts';
import { sameValue, type Value } from './value.ts';

/** What lies over the parts of a song. */
export interface Along extends RoomsAlong {
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
      groupId: null,
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
    const listened = roots.listened(root);
    const level = `${listened}/level`;
    nodes.push(
      ...groupNodes(root, bus, gain, [...within, ...sounding.map((part) => roots.part(part.id))]),
      ...groupNodes(level, bus, gain, heard),
      { kind: 'listened', id: listened, partId: null, groupId: id, muted: false, inputs: [level] },
    );
  }
  const sounding = parts.filter(({ id, muted }) => !muted && !groupOf(id));
  const outermost = groups.filter(({ parentId }) => parentId === null);
  const nested = groups.filter((group) => !outermost.includes(group));
  const listenedGroup = ({ id }: { readonly id: string }) => roots.listened(roots.group(id));
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
    told: [...fed.told, ...fed.returns.values(), ...nested.map(listenedGroup)],
    groups: outermost.map(listenedGroup),
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

function sameRoom(a: RoomSettings, b: RoomSettings): boolean {
  const { echo, own, response, times, ...flat } = a;
  return (
    isSame(times, b.times) &&
    // What is not ready yet is not even named.
    response === b.response &&
    sameValues(flat, b as typeof flat) &&
    sameValues(echo, b.echo) &&
    sameValues(own, b.own)
  );
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
