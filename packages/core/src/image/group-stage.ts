import { group, withDefaults, value, type Described } from '../parameters/description.ts';
import { lowMonoParameters, stageParameters } from '../parameters/tables.ts';
import type { BiquadCoefficients } from '../signal/biquad.ts';
import { highPass, highShelf, lowShelf } from '../signal/filters.ts';
import { tiltPivotHz } from '../voices/tone.ts';

/** What is done to the difference of several parts together; their middle, and with it their fold, stays as it is. */
export const groupStageDescription = withDefaults({
  ...group({ widthPercent: stageParameters.widthPercent, tiltDb: stageParameters.tiltDb }),
  lowHz: value(lowMonoParameters.hz),
});
export type GroupStage = Described<typeof groupStageDescription>;

export const neutralGroupStage: GroupStage = groupStageDescription.parse({});

export function isNeutralGroupStage({ widthPercent, tiltDb, lowHz }: GroupStage): boolean {
  return widthPercent === 100 && tiltDb === 0 && lowHz === null;
}

/** Of a Butterworth filter of fourth order, in two sections. */
const fourthOrder = [0.5412, 1.3066] as const;
const tiltQ = 0.5;

/** What the difference goes through. */
export function groupStageSections(
  { tiltDb, lowHz }: GroupStage,
  rateHz: number,
): readonly BiquadCoefficients[] {
  return [
    ...(lowHz === null ? [] : fourthOrder.map((q) => highPass(lowHz, q, rateHz))),
    ...(tiltDb === 0
      ? []
      : [
          lowShelf(tiltPivotHz, -tiltDb / 2, tiltQ, rateHz),
          highShelf(tiltPivotHz, tiltDb / 2, tiltQ, rateHz),
        ]),
  ];
}
