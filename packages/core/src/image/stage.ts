import { failure, success, type Outcome } from '../outcome.ts';
import { allOf, checkGroup, defaults, describe } from '../parameters/parameter.ts';
import { lowMonoParameters, openingParameters, stageParameters } from '../parameters/tables.ts';

/** What lies below the corner is brought to the middle. */
export interface LowMono {
  /** The corner; null for off. */
  readonly hz: number | null;
  /** “anchor”: the voices are cut and one of them fills the low end. “difference”: only the difference is cut. */
  readonly kind: 'anchor' | 'difference';
}

/** Width only where the take is louder than a threshold; always where that is null. */
export interface Opening {
  readonly thresholdDb: number | null;
  readonly attackMs: number;
  readonly releaseMs: number;
}

/** What is done to the stereo sum of the voices. */
export interface Stage {
  readonly widthPercent: number;
  readonly opening: Opening;
  readonly lowMono: LowMono;
  /** Of the difference: positive is brighter. */
  readonly tiltDb: number;
  /** All voices but the anchor. */
  readonly flanksDb: number;
  readonly balancePercent: number;
  readonly trimDb: number;
}

export const lowMonoKinds = ['anchor', 'difference'] as const;

export const neutralStage: Stage = {
  ...defaults<Omit<Stage, 'opening' | 'lowMono'>>(stageParameters),
  opening: defaults(openingParameters),
  lowMono: { hz: null, kind: 'anchor' },
};

export function checkStage(stage: Stage, place: string): Outcome<Stage> {
  const own = checkGroup(stageParameters, stage, place, ['opening', 'lowMono']);
  if (!own.ok) return own;
  return allOf(
    stage,
    checkGroup(openingParameters, stage.opening, `${place}.opening`),
    checkGroup(lowMonoParameters, stage.lowMono, `${place}.lowMono`, ['kind']),
    lowMonoKinds.includes(stage.lowMono.kind)
      ? success(0)
      : failure(
          'unknown-choice',
          `Low-end mono is by “anchor” or “difference”; it was ${describe(stage.lowMono.kind)}.`,
          `${place}.lowMono.kind`,
        ),
  );
}
