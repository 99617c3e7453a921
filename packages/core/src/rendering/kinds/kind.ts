import type { Complex } from '../../signal/long-fir.ts';
import type { BlockStore, PcmSource } from '../../sources/blocks.ts';
import type { Reach } from '../time-map.ts';

/** What every node of a plan has: a stable id, its kind, and the ids of the nodes that it takes in. */
export interface NodeBase {
  readonly id: string;
  readonly kind: string;
  readonly inputs: readonly string[];
}

/** Where a graph is, and what it reads from; shared by all of its runs. */
export interface RunContext {
  readonly rateHz: number;
  readonly store: BlockStore;
  /** Absolute frame of the quantum that is being made. */
  frame: number;
  /** Counts the quanta: what several read is made once in each. */
  pass: number;
}

export type Side = Float32Array | Float64Array;

/** A node at work. It is made at its goal; whoever takes it in lets it fade in and out. */
export interface NodeRun<Node extends NodeBase = NodeBase> {
  /** Takes up what has changed; it glides. */
  aim(node: Node, inputs: readonly NodeRun[]): void;
  /** Is at its goal at once: before the first sound, and after a jump. */
  settle(): void;
  /** Adds its quantum to both sides. Allocates nothing. */
  add(left: Side, right: Side): void;
}

/** Something big that a node carries: it travels once, by its key. */
export interface Asset {
  readonly key: string;
  readonly value: object;
  /** How big, where that counts. */
  readonly bytes?: number;
}

/** One kind of node. All that the engine knows of it stands here. */
export interface NodeKind<Node extends NodeBase> {
  readonly start: (node: Node, inputs: readonly NodeRun[], context: RunContext) => NodeRun<Node>;
  /** What it reads by itself. */
  readonly sources: (node: Node) => readonly PcmSource[];
  /** How far behind and ahead of its place it reads them, in frames. */
  readonly reach: (node: Node) => Reach;
  /** How long it remembers what it was given, to −120 dB, in frames; 0 for a function of the frame. */
  readonly memoryFrames: (node: Node, rateHz: number) => number;
  /** How long it is heard after what it was given has ended, to −60 dB, in frames; left out where it is not. */
  readonly tailFrames?: (node: Node, rateHz: number) => number;
  /** By how much it is late with what it is given, in frames. */
  readonly latencyFrames: (node: Node) => number;
  /** What it does to a frequency, where it is linear and does something. */
  readonly response?: (node: Node, rateHz: number) => ((hz: number) => Complex) | undefined;
  /** The node without what is big, and that. */
  readonly pack?: (node: Node) => { readonly node: Node; readonly assets: readonly Asset[] };
  readonly unpack?: (node: Node, find: (key: string) => object) => Node;
}

export const noReach: Reach = { behind: 0, ahead: 0 };
