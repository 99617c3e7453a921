import { neutralPreparation, type Preparation } from '../takes/preparation.ts';
import { neutralGroupStage, type GroupStage } from './group-stage.ts';

/** What may be done to several parts together, as one press: common practice. */
export interface GroupRecipe {
  readonly id: string;
  readonly name: string;
  /** What it does, and what for. */
  readonly sentence: string;
  readonly preparation: Preparation;
  readonly stage: GroupStage;
}

const compressor = (values: Partial<Preparation['compressor']>): Preparation => ({
  ...neutralPreparation,
  compressor: { ...neutralPreparation.compressor, ...values },
});

export const groupRecipes: readonly GroupRecipe[] = [
  {
    id: 'as-they-are',
    name: 'As they are',
    sentence: 'Nothing is done to them together.',
    preparation: neutralPreparation,
    stage: neutralGroupStage,
  },
  {
    id: 'held-together',
    name: 'Held together',
    sentence: 'A slow, gentle compressor on all of them: what is loudest takes the rest along.',
    preparation: compressor({
      thresholdDb: -20,
      ratio: 2,
      attackMs: 30,
      releaseMs: 200,
      makeUpDb: 1,
    }),
    stage: neutralGroupStage,
  },
  {
    id: 'lows-in-the-middle',
    name: 'Lows in the middle',
    sentence: 'Under 140 Hz both sides are alike: several wide parts share one low end.',
    preparation: neutralPreparation,
    stage: { ...neutralGroupStage, lowHz: 140 },
  },
  {
    id: 'wider-above',
    name: 'Wider above the lows',
    sentence: 'The difference is a third stronger and brighter, and held back under 180 Hz.',
    preparation: neutralPreparation,
    stage: { ...neutralGroupStage, widthPercent: 130, tiltDb: 2, lowHz: 180 },
  },
  {
    id: 'narrowed-behind',
    name: 'Narrowed, behind',
    sentence: 'Two thirds as wide, the highs taken back: a bed of many parts makes room for one.',
    preparation: {
      ...neutralPreparation,
      lowCutHz: 90,
      bands: neutralPreparation.bands.with(2, { kind: 'high shelf', hz: 6000, db: -3, q: 0.7 }),
    },
    stage: { ...neutralGroupStage, widthPercent: 65 },
  },
];
