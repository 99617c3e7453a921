import type { PcmSource } from '../sources/blocks.ts';
import type { DriftPath } from '../voices/drift.ts';
import type { SplicePlan } from '../voices/splices.ts';
import { allKinds, type Kinds, type PlanNode } from './kinds/kinds.ts';
import type { NodeBase } from './kinds/kind.ts';
import type { PlacedAs } from './kinds/placed.ts';
import type { ReadingNode } from './kinds/reading.ts';
import { furthest, mapEnd, type Reach } from './time-map.ts';

/**
 * What the engine runs: nodes with stable ids, each after those that it takes in. Frames, linear gains, splice plans; no dB or
 * ms left but in curves. Structured-cloneable. Any node can be the root.
 */
export interface PlanGraph {
  readonly rateHz: number;
  readonly nodes: readonly NodeBase[];
  /** Length of the song. */
  readonly frames: number;
}

/** A graph, and what its parts are to whoever predicts what they do. */
export interface RenderPlan extends PlanGraph {
  readonly nodes: readonly PlanNode[];
  readonly parts: readonly PartPlan[];
}

/** The ids of nodes that something asks for by name. */
export const roots = {
  /** All that is heard: parts as they are listened to, and the bed. */
  heard: 'heard',
  /** All parts and groups together, as a mix of them is exported. */
  song: 'song',
  /** As it is exported. */
  part: (partId: string) => `part/${partId}`,
  /** A part before its moves. */
  stage: (partId: string) => `part/${partId}/stage`,
  plain: (partId: string) => `part/${partId}/plain`,
  /** One voice before the stage. */
  voice: (partId: string, voiceId: string) => `part/${partId}/voice/${voiceId}`,
  group: (groupId: string) => `group/${groupId}`,
  /** What a room gives back. */
  room: (roomId: string) => `room/${roomId}`,
  /** Something as it is listened to, by its own root. */
  listened: (root: string) => `${roots.heard}/${root}`,
} as const;

export interface PartPlan {
  readonly id: string;
  /** Length of the longest take. */
  readonly frames: number;
  readonly strands: readonly StrandPlan[];
  readonly stage: StagePlan;
  readonly plain: PlainPlan;
  /** All voices but the anchor, and the stage's trim, linear: for what only they are fed into. */
  readonly flanks: { readonly voiceIds: readonly string[]; readonly trim: number };
  readonly muted: boolean;
}

/**
 * One reading of one source into both sides. Most voices are one strand; one that is half tuned, spread, or cut by
 * frequency is several.
 */
export interface StrandPlan {
  /** Unique in the part and stable while the image is shaped. */
  readonly id: string;
  /** Of the voice. */
  readonly voiceId: string;
  readonly source: PcmSource;
  /** Key of the take that the source was made of: what sounds of the same one combs with it. */
  readonly takeKey: string;
  /** May be fractional, and below 0 for an early voice. */
  readonly delayFrames: number;
  readonly tuning: TuningPlan | null;
  /** Key of the splices that are being planned for it; until they come it goes on as it did. */
  readonly awaits: string | null;
  readonly drift: DriftPlan | null;
  readonly left: number;
  readonly right: number;
  /** Where its voice has a place between the sides: its gain without that, and what of the voice it is; null otherwise. */
  readonly placed: { readonly gain: number; readonly as: PlacedAs } | null;
}

/** Marks the strand that carries the low end of all voices. */
export const lowFeed = '~low';

export function isLowStrand({ id }: StrandPlan): boolean {
  return id.includes(lowFeed);
}

export interface TuningPlan {
  readonly key: string;
  readonly splices: SplicePlan;
}

/** @param key of the splices, the same for a stretch and for the whole of a take */
export function tuningOf(key: string, splices: SplicePlan): TuningPlan {
  const { coarseTo } = splices;
  return { key: coarseTo === undefined ? key : `${key}/${coarseTo}`, splices };
}

export interface DriftPlan {
  readonly key: string;
  readonly path: DriftPath;
}

/** L' = ll·L + lr·R, R' = rl·L + rr·R. */
export interface StageGains {
  readonly ll: number;
  readonly lr: number;
  readonly rl: number;
  readonly rr: number;
}

/** Width, balance, trim and part level in one. */
export interface StagePlan {
  readonly open: StageGains;
  /** Where the width opens with the level: the stage when it is closed, and how far it is open. */
  readonly closed: StageGains;
  readonly opening: PcmSource | null;
  /** What each side gets after the width: balance, trim and level. */
  readonly sides: { readonly left: number; readonly right: number };
}

export interface PlainPlan {
  readonly strand: StrandPlan;
  readonly level: number;
}

export interface BedPlan {
  readonly left: PcmSource;
  readonly right: PcmSource;
  readonly gain: number;
}

export const noPlan: PlanGraph = { rateHz: 48_000, nodes: [], frames: 0 };

/** The node of this id, and all that it takes in, each after what it takes in; empty where there is none. */
export function nodesUnder({ nodes }: PlanGraph, ...rootIds: readonly string[]): NodeBase[] {
  const wanted = new Set(rootIds);
  const found: NodeBase[] = [];
  for (let n = nodes.length - 1; n >= 0; n--) {
    const node = nodes[n];
    if (!wanted.has(node.id)) continue;
    found.push(node);
    for (const input of node.inputs) wanted.add(input);
  }
  return found.reverse();
}

/** All sources of some nodes, each once. */
export function nodeSources(nodes: readonly NodeBase[], kinds: Kinds = allKinds): PcmSource[] {
  const sources = new Map<string, PcmSource>();
  for (const node of nodes)
    for (const source of kinds[node.kind].sources(node)) sources.set(source.key, source);
  return [...sources.values()];
}

/** All sources of a plan, or of what lies under a root, each once. */
export function planSources(plan: PlanGraph, root?: string): PcmSource[] {
  return nodeSources(root === undefined ? plan.nodes : nodesUnder(plan, root));
}

/** A plan whose strands that wait for these splices have them; the same one if none does. */
export function withSplices(plan: PlanGraph, key: string, splices: SplicePlan): PlanGraph {
  const waits = (node: NodeBase) =>
    node.kind === 'reading' && (node as ReadingNode).strand.awaits === key;
  if (!plan.nodes.some(waits)) return plan;
  const tuning = tuningOf(key, splices);
  return {
    ...plan,
    nodes: plan.nodes.map((node) => {
      if (!waits(node)) return node;
      const { strand } = node as ReadingNode;
      return { ...node, strand: { ...strand, tuning, awaits: null } };
    }),
  };
}

/** As far as all of a plan reads round a place, in frames. What its nodes remember is not in it: after a jump they begin empty. */
export function planReach(plan: PlanGraph, root?: string, kinds: Kinds = allKinds): Reach {
  const nodes = root === undefined ? plan.nodes : nodesUnder(plan, root);
  return furthest(nodes.map((node) => kinds[node.kind].reach(node)));
}

/** The most that some nodes come to along any way through them, each after those that it takes in. */
function longestWay(nodes: readonly NodeBase[], own: (node: NodeBase) => number): number {
  const ways = new Map<string, number>();
  for (const node of nodes)
    ways.set(
      node.id,
      own(node) + node.inputs.reduce((most, id) => Math.max(most, ways.get(id) ?? 0), 0),
    );
  return Math.max(0, ...ways.values());
}

/**
 * How long nodes remember, in frames. What one remembers another may be given later still: along a way through them their times add up; what lies side by
 * side forgets together.
 */
export function memoryOf(
  nodes: readonly NodeBase[],
  rateHz: number,
  kinds: Kinds = allKinds,
): number {
  return longestWay(nodes, (node) => kinds[node.kind].memoryFrames(node, rateHz));
}

/** The frame after which nothing of a plan is heard any more: tails included, song and bed; what rings on in a room until it is 60 dB softer. */
export function planEnd(plan: PlanGraph, root?: string): number {
  const nodes = root === undefined ? plan.nodes : nodesUnder(plan, root);
  let end = plan.frames;
  for (const node of nodes)
    if (node.kind === 'reading') {
      const { strand } = node as ReadingNode;
      if (strand.left !== 0 || strand.right !== 0)
        end = Math.max(end, mapEnd(strand, strand.source));
    }
  return (
    end + longestWay(nodes, (node) => allKinds[node.kind].tailFrames?.(node, plan.rateHz) ?? 0)
  );
}
