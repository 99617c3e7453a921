import type { PcmSource } from '../sources/blocks.ts';
import { delayTaps, movingTaps } from '../signal/sinc.ts';
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
  readonly voices: readonly VoicePlan[];
  /** Width, balance, trim and part level in one: L' = ll·L + lr·R, R' = rl·L + rr·R. */
  readonly stage: StageGains;
  readonly plain: PlainPlan;
  readonly muted: boolean;
}

export interface VoicePlan {
  /** Unique in the part. */
  readonly id: string;
  readonly source: PcmSource;
  /** May be fractional, and below 0 for an early voice. */
  readonly delayFrames: number;
  readonly tuning: TuningPlan | null;
  readonly left: number;
  readonly right: number;
}

export interface TuningPlan {
  readonly key: string;
  readonly splices: SplicePlan;
}

export interface StageGains {
  readonly ll: number;
  readonly lr: number;
  readonly rl: number;
  readonly rr: number;
}

export interface PlainPlan {
  readonly source: PcmSource;
  readonly left: number;
  readonly right: number;
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
    add(part.plain.source);
    for (const voice of part.voices) add(voice.source);
  }
  if (plan.bed) {
    add(plan.bed.left);
    add(plan.bed.right);
  }
  return [...sources.values()];
}

/** How far behind and ahead of the playhead a plan reads its sources, in frames. */
export interface Reach {
  readonly behind: number;
  readonly ahead: number;
}

/** As far as delays, splices and interpolators reach, a quantum included. */
export function planReach(plan: RenderPlan): Reach {
  const margin = Math.max(delayTaps, movingTaps) + quantumFrames;
  let behind = 0;
  let ahead = 0;
  for (const part of plan.parts)
    for (const { delayFrames, tuning, source } of part.voices) {
      const wander = tuning ? splicedWander(tuning.splices, source.frames) : 0;
      behind = Math.max(behind, delayFrames + wander);
      ahead = Math.max(ahead, wander - delayFrames);
    }
  return { behind: Math.ceil(behind) + margin, ahead: Math.ceil(ahead) + margin };
}
