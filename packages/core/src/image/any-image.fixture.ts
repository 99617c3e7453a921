import fc from 'fast-check';
import type { Parameter, ParameterTable } from '../parameters/parameter.ts';
import {
  bandParameters,
  colourParameters,
  compressorParameters,
  driftParameters,
  openingParameters,
  preparationParameters,
  stageParameters,
  toneParameters,
  tunerParameters,
} from '../parameters/tables.ts';
import { bandKinds, type EqualiserBand } from '../takes/equaliser.ts';
import type { Preparation } from '../takes/preparation.ts';
import { newVoice, tunerKinds, type Voice } from '../voices/voice.ts';
import type { Image } from './image.ts';
import { lowMonoKinds, type Stage } from './stage.ts';

/** JSON knows no −0. */
const positiveZero = (value: number) => value + 0;

/** A value that a parameter may have; its default as often as any other. */
function anyValue(parameter: Parameter): fc.Arbitrary<number | null> {
  const { min, max, whole, off } = parameter;
  const value = whole
    ? fc.integer({ min, max })
    : fc.double({ min, max, noNaN: true }).map(positiveZero);
  return fc.oneof(fc.constant(off === undefined ? parameter.default : null), value);
}

const anyNumber = (min: number, max: number) =>
  fc.double({ min, max, noNaN: true }).map(positiveZero);

function anyGroup<Group>(table: ParameterTable): fc.Arbitrary<Group> {
  return fc.record(
    Object.fromEntries(Object.entries(table).map(([key, row]) => [key, anyValue(row)])),
  ) as fc.Arbitrary<Group>;
}

const delay: fc.Arbitrary<Voice['delay']> = fc.oneof(
  fc.record({
    value: anyNumber(-50, 150),
    unit: fc.constant('ms' as const),
  }),
  fc.record({
    value: fc.integer({ min: -2400, max: 7200 }),
    unit: fc.constant('samples' as const),
  }),
);

const placement: fc.Arbitrary<Voice['placement']> = fc.oneof(
  fc.record({
    kind: fc.constant('pan' as const),
    panPercent: anyNumber(-100, 100),
  }),
  fc.constant({ kind: 'mirror' as const }),
  fc.record({
    kind: fc.constant('spread' as const),
    degrees: anyNumber(0, 120),
  }),
);

const band = anyGroup<Voice['tone']['bell']>(bandParameters);

const tone: fc.Arbitrary<Voice['tone']> = fc
  .tuple(anyGroup<Omit<Voice['tone'], 'bell'>>(toneParameters), band)
  .map(([own, bell]) => ({
    ...own,
    // A low cut must lie under the high cut.
    highCutHz:
      own.highCutHz === null || own.lowCutHz === null || own.highCutHz > own.lowCutHz
        ? own.highCutHz
        : null,
    bell,
  }));

export const anyVoice: fc.Arbitrary<Voice> = fc
  .record({
    placement,
    delay,
    levelDb: anyNumber(-60, 12),
    tuner: fc
      .tuple(
        fc.constantFrom(...tunerKinds),
        anyGroup<Omit<Voice['tuner'], 'kind'>>(tunerParameters),
      )
      .map(([kind, values]) => ({ kind, ...values })),
    drift: anyGroup<Voice['drift']>(driftParameters),
    colour: anyGroup<Voice['colour']>(colourParameters),
    tone,
    polarity: fc.constantFrom('normal' as const, 'inverted' as const),
    muted: fc.boolean(),
  })
  .map((changes) => newVoice('v', 'voice', changes));

export const anyStage: fc.Arbitrary<Stage> = fc
  .tuple(
    anyGroup<Omit<Stage, 'opening' | 'lowMono'>>(stageParameters),
    anyGroup<Stage['opening']>(openingParameters),
    fc.record({
      hz: fc.oneof(fc.constant(null), fc.double({ min: 40, max: 500, noNaN: true })),
      kind: fc.constantFrom(...lowMonoKinds),
    }),
  )
  .map(([own, opening, lowMono]) => ({ ...own, opening, lowMono }));

/** An image with any mixture of all parameters. */
export const anyImage: fc.Arbitrary<Image> = fc.record({
  voices: fc
    .array(anyVoice, { minLength: 1, maxLength: 4 })
    .map((voices) =>
      voices.map((voice, n) => ({ ...voice, id: `v${n + 1}`, name: `voice ${n + 1}` })),
    ),
  stage: anyStage,
});

export const anyPreparation: fc.Arbitrary<Preparation> = fc
  .tuple(
    anyGroup<Pick<Preparation, 'lowCutHz'>>(preparationParameters),
    fc.array(
      fc
        .tuple(fc.constantFrom(...bandKinds), band)
        .map(([kind, values]): EqualiserBand => ({ kind, ...values })),
      { minLength: 3, maxLength: 3 },
    ),
    anyGroup<Preparation['compressor']>(compressorParameters),
  )
  .map(([own, bands, compressor]) => ({ ...own, bands, compressor }));
