import { choice, group, withDefaults, type Described } from '../parameters/description.ts';
import { lowMonoParameters, openingParameters, stageParameters } from '../parameters/tables.ts';

export const lowMonoKinds = ['anchor', 'difference'] as const;

/**
 * What lies below the corner is brought to the middle; null for off. “anchor”: the voices are cut and one of them fills the
 * low end. “difference”: only the difference is cut.
 */
const lowMonoDescription = withDefaults({
  ...group(lowMonoParameters),
  kind: choice(lowMonoKinds).default('anchor'),
});

/** Width only where the take is louder than a threshold; always where that is null. */
const openingDescription = withDefaults(group(openingParameters));
export type Opening = Described<typeof openingDescription>;

export const stageShape = {
  ...group(stageParameters),
  opening: openingDescription,
  lowMono: lowMonoDescription,
};

/** What is done to the stereo sum of the voices. The flanks are all voices but the anchor. */
export const stageDescription = withDefaults(stageShape);
export type Stage = Described<typeof stageDescription>;

export const neutralStage: Stage = stageDescription.parse({});
