import { driftParameters, voiceParameters } from '../parameters/tables.ts';
import { delayTaps, movingTaps } from '../signal/sinc.ts';
import type { PcmSource } from '../sources/blocks.ts';
import type { DriftPath } from '../voices/drift.ts';
import { longestReadMs, longestWanderMs } from '../voices/splice-styles.ts';
import { splicedRead, type SplicePlan } from '../voices/splices.ts';
import { quantumFrames } from './quantum.ts';

/** How far behind and ahead of a place something is read, in frames. */
export interface Reach {
  readonly behind: number;
  readonly ahead: number;
}

/**
 * Where a reading reads its source at a frame of the song: shifted, along splices, and drifting round that. What it may be away
 * from its place, and how long it goes on after its source, are told by the map itself.
 */
export interface TimeMap {
  /** May be fractional, and below 0 for what is early. */
  readonly delayFrames: number;
  readonly tuning: { readonly splices: SplicePlan } | null;
  readonly drift: { readonly path: DriftPath } | null;
}

/** A reading so late lies so many whole frames back, and a fraction of one forward again. */
export function wholeDelay(delayFrames: number): number {
  return Math.ceil(delayFrames - 1e-9);
}

/** The bounds of a map over a source, in frames; interpolators and the quantum not counted. */
export function mapBounds({ delayFrames, tuning, drift }: TimeMap, source: PcmSource): Reach {
  const wander =
    (tuning ? splicedRead(tuning.splices, source.frames) : 0) +
    (drift ? drift.path.widestFrames : 0);
  return { behind: delayFrames + wander, ahead: wander - delayFrames };
}

/** What interpolators read on either side, and the quantum that is read at once. */
const margin = Math.max(delayTaps, movingTaps) + quantumFrames;

export function mapReach(map: TimeMap, source: PcmSource): Reach {
  const { behind, ahead } = mapBounds(map, source);
  const around = margin + (map.tuning?.splices.asksAround ?? 0);
  return {
    behind: Math.max(0, Math.ceil(behind)) + around,
    ahead: Math.max(0, Math.ceil(ahead)) + around,
  };
}

/** The frame of the song after which a map reads nothing of its source any more. */
export function mapEnd(map: TimeMap, source: PcmSource): number {
  return Math.ceil(source.frames + mapBounds(map, source).behind);
}

/** What of a delay jumps fades over in so long: the pitch stays. */
export const stepFadeMs = 12;
/** The sound is asked over the longest fade, which an octave up goes on by twice as much. */
const askedMs = 2 * Math.max(stepFadeMs, longestReadMs - longestWanderMs);

/** As far as any allowed delay, drift and tuning may read: round a place from which all of them may be tried at once. */
export function widestReach(rateHz: number): Reach {
  const { min, max } = voiceParameters.delayMs;
  const wanderMs = driftParameters.rangeMs.max + longestReadMs + askedMs;
  const framesOf = (ms: number) => Math.ceil((ms * rateHz) / 1000) + margin;
  return { behind: framesOf(max + wanderMs), ahead: framesOf(wanderMs - min) };
}

export function furthest(reaches: readonly Reach[]): Reach {
  return {
    behind: Math.max(margin, ...reaches.map(({ behind }) => behind)),
    ahead: Math.max(margin, ...reaches.map(({ ahead }) => ahead)),
  };
}
