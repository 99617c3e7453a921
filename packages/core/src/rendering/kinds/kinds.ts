import { bedKind, type BedNode } from './bed.ts';
import { busKind, type BusNode } from './bus.ts';
import { filterKind, type FilterNode } from './filter.ts';
import { gainKind, type GainNode } from './gain.ts';
import type { NodeBase, NodeKind } from './kind.ts';
import { listenedKind, type ListenedNode } from './listened.ts';
import { matrixKind, type MatrixNode } from './matrix.ts';
import { monitorKind, type MonitorNode } from './monitor.ts';
import { placedKind, type PlacedNode } from './placed.ts';
import { readingKind, type ReadingNode } from './reading.ts';
import { roomKind, type RoomNode } from './room.ts';
import { sumKind, type SumNode } from './sum.ts';

/** A node of a plan. */
export type PlanNode =
  | ReadingNode
  | SumNode
  | MatrixNode
  | PlacedNode
  | FilterNode
  | GainNode
  | BedNode
  | BusNode
  | RoomNode
  | ListenedNode
  | MonitorNode;

/** Every kind of node. A new one is a file and its row. */
export const nodeKinds: {
  readonly [Kind in PlanNode['kind']]: NodeKind<Extract<PlanNode, { kind: Kind }>>;
} = {
  reading: readingKind,
  sum: sumKind,
  matrix: matrixKind,
  placed: placedKind,
  filter: filterKind,
  gain: gainKind,
  bed: bedKind,
  bus: busKind,
  room: roomKind,
  listened: listenedKind,
  monitor: monitorKind,
};

/** The registry as the engine reads it, whatever kinds are in it. */
export type Kinds = Readonly<Record<string, NodeKind<NodeBase>>>;

export const allKinds = nodeKinds as unknown as Kinds;
