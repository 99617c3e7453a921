import type { MeasuredStereo } from '../measurement/report.ts';
import type { Beating } from '../rendering/beating.ts';
import type { ChainsApart } from './chains.ts';
import type { Motion } from './motion.ts';

/** What comparing needs of plain; null where it is silent. */
export interface Level {
  readonly lufs: number | null;
  /** Of the fold on both speakers. */
  readonly foldLufs: number | null;
  readonly truePeakDbtp: number | null;
}

/** All that is measured of a part. */
export interface PartFigures extends MeasuredStereo {
  readonly plain: Level & { readonly lowDb: number };
  /** By how much L speaks before R, from the delays of the voices; null where a side says nothing. */
  readonly plannedLeadMs: number | null;
  /** Of each ear, at 440 Hz. */
  readonly beating: { readonly left: Beating; readonly right: Beating };
  /** Of its opposed chains, over the loudest seconds of the stretch, with the voices that they are of; null where it has none. */
  readonly chains: (ChainsApart & { readonly voices: readonly [string, string] }) | null;
  /** Of what goes to and fro in it; null where nothing does. */
  readonly motion: Motion | null;
}

/** Beats are told at the pitch to which instruments are tuned (ISO 16). */
export const beatingHz = 440;

/** The level of what was measured. */
export function imageLevel({ report }: MeasuredStereo): Level {
  const { loudnessLufs, truePeakDbtp, fold } = report;
  return {
    lufs: loudnessLufs,
    foldLufs: loudnessLufs === null || fold.lossDb === null ? null : loudnessLufs + fold.lossDb,
    truePeakDbtp,
  };
}
