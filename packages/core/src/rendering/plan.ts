import { delayTaps, movingTaps } from '../signal/sinc.ts';
import type { PcmSource } from '../sources/blocks.ts';
import type { DriftPath } from '../voices/drift.ts';
import { splicedWander, type SplicePlan } from '../voices/splices.ts';
import { quantumFrames } from './quantum.ts';

/** All that the renderer needs: frames, linear gains, splice plans; no dB or ms left. Structured-cloneable. */
export interface RenderPlan {
  readonly rateHz: number;
  readonly parts: readonly PartPlan[];
  readonly bed: BedPlan | null;
  /** Length of the song. */
  readonly frames: number;
}

export interface PartPlan {
  readonly id: string;
  /** Length of the longest take. */
  readonly frames: number;
  readonly strands: readonly StrandPlan[];
  readonly stage: StagePlan;
  readonly plain: PlainPlan;
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

export const noPlan: RenderPlan = { rateHz: 48_000, parts: [], bed: null, frames: 0 };

/** All sources of a plan, each once. */
export function planSources(plan: RenderPlan): PcmSource[] {
  const sources = new Map<string, PcmSource>();
  const add = (source: PcmSource) => sources.set(source.key, source);
  for (const part of plan.parts) {
    add(part.plain.strand.source);
    for (const strand of part.strands) add(strand.source);
    if (part.stage.opening) add(part.stage.opening);
  }
  if (plan.bed) {
    add(plan.bed.left);
    add(plan.bed.right);
  }
  return [...sources.values()];
}

/** A plan whose strands that wait for these splices have them; the same one if none does. */
export function withSplices(plan: RenderPlan, key: string, splices: SplicePlan): RenderPlan {
  const waits = (strand: StrandPlan) => strand.awaits === key;
  if (!plan.parts.some(({ strands }) => strands.some(waits))) return plan;
  const tuning = tuningOf(key, splices);
  return {
    ...plan,
    parts: plan.parts.map((part) => ({
      ...part,
      strands: part.strands.map((strand) =>
        waits(strand) ? { ...strand, tuning, awaits: null } : strand,
      ),
    })),
  };
}

/** How far behind and ahead of the playhead a plan reads its sources, in frames. */
export interface Reach {
  readonly behind: number;
  readonly ahead: number;
}

/** As far as delays, splices, drift and interpolators reach, a quantum included. */
export function planReach(plan: RenderPlan): Reach {
  const margin = Math.max(delayTaps, movingTaps) + quantumFrames;
  let behind = 0;
  let ahead = 0;
  for (const part of plan.parts)
    for (const { delayFrames, tuning, drift, source } of part.strands) {
      const wander = tuning ? splicedWander(tuning.splices, source.frames) : 0;
      const excursion = drift ? drift.path.widestFrames : 0;
      behind = Math.max(behind, delayFrames + wander + excursion);
      ahead = Math.max(ahead, wander + excursion - delayFrames);
    }
  return { behind: Math.ceil(behind) + margin, ahead: Math.ceil(ahead) + margin };
}
