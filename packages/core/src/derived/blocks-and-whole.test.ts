import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { ampDescription } from '../amps/amp.ts';
import { BodyRun } from '../amps/body.ts';
import { DriveRun } from '../amps/drive-run.ts';
import { recordedImpulse } from '../amps/recorded-impulse.ts';
import { anyOf } from '../parameters/any.fixture.ts';
import { anyPreparation, anyStage, anyVoice } from '../image/any-image.fixture.ts';
import { openingMemory, OpeningRun } from '../image/opening.ts';
import { seededHash } from '../signal/random.ts';
import { Convolver } from '../signal/convolver.ts';
import { Cascade } from '../signal/cascade.ts';
import { blockFrames, blockLength, type PcmSource } from '../sources/blocks.ts';
import { neutralPreparation, PreparationRun } from '../takes/preparation.ts';
import { ColourRun } from '../voices/colour.ts';
import { neutralTone, toneSections } from '../voices/tone.ts';
import { wear, wornReach } from '../voices/worn.ts';
import { madeSource, type MakingStep } from './made-source.ts';
import { makingLoader, stepMemory } from './making.ts';

const rate = 48_000;
const anyAmp = anyOf(ampDescription);
const blocks = 5;
const raw: PcmSource = { key: 'raw', frames: blocks * blockFrames - 1234 };

/** Loud and soft in turn, dense enough to wake whatever rings: bursts of noise, a low tone, a pause. */
const sound = Float32Array.from({ length: raw.frames }, (_, n) => {
  const burst = Math.floor(n / 9000) % 3;
  const noise = 2 * seededHash(7, n) - 1;
  const low = Math.sin((2 * Math.PI * 97 * n) / rate);
  return burst === 0 ? 0.7 * noise : burst === 1 ? 0.02 * noise : 0.5 * low;
});
/** Longer than a block: what is heard through it reaches back over several. */
const response = Float32Array.from(
  { length: rate - 7 },
  (_, n) => 0.05 * (2 * seededHash(9, n) - 1) * Math.exp(-n / 9000),
);
const recorded: PcmSource = { key: 'response', frames: response.length };
const load = ({ key }: PcmSource, index: number) =>
  Promise.resolve(
    (key === recorded.key ? response : sound).subarray(
      index * blockFrames,
      (index + 1) * blockFrames,
    ),
  );

/** @param order whole blocks of the usual length; what comes in shorter ones comes backwards in each where they do */
async function inBlocks(step: MakingStep, order: readonly number[]): Promise<Float32Array> {
  const source = madeSource(raw, step, rate);
  const made = makingLoader(load);
  const whole = new Float32Array(raw.frames);
  const length = blockLength(source);
  const parts = Array.from({ length: blockFrames / length }, (_, n) => n);
  for (const usual of order)
    for (const part of order[0] === 0 ? parts : parts.toReversed()) {
      const index = usual * parts.length + part;
      if (index * length < raw.frames) whole.set(await made(source, index), index * length);
    }
  return whole;
}

function inOneGo(step: MakingStep): Float64Array {
  const latency =
    step.kind === 'colour'
      ? ColourRun.latencyFrames
      : step.kind === 'drive'
        ? DriveRun.latencyFrames
        : 0;
  const samples = new Float64Array(raw.frames + (latency > 0 ? 256 : 0));
  samples.set(sound);
  switch (step.kind) {
    case 'preparation':
      new PreparationRun(step.preparation, rate).process(samples);
      break;
    case 'tone':
      new Cascade(toneSections(step.tone, rate, step.ratio)).process(samples);
      break;
    case 'colour':
      new ColourRun(step.colour, step.peak, rate).process(samples);
      break;
    case 'drive':
      new DriveRun(step.drive).process(samples);
      break;
    case 'body':
      new BodyRun(step.body, rate, step.ratio).process(samples);
      break;
    case 'opening':
      new OpeningRun(step.opening, rate).process(samples);
      break;
    case 'worn': {
      const reach = wornReach(step.worn, rate);
      const input = new Float32Array(reach + sound.length);
      input.set(sound, reach);
      return Float64Array.from(wear(input, reach, 0, sound.length, step.worn, rate, step.seed));
    }
    case 'cabinet': {
      if ('kind' in step.cabinet) throw new Error('Convolved elsewhere.');
      const impulse = recordedImpulse(response, step.cabinet, rate, step.ratio);
      const reach = impulse.length - 1;
      const input = new Float32Array(reach + sound.length);
      input.set(sound, reach);
      return Float64Array.from(new Convolver(impulse).process(input, sound.length));
    }
    default:
      throw new Error(step.kind);
  }
  return samples.subarray(latency, latency + raw.frames);
}

const forwards = Array.from({ length: blocks }, (_, n) => n);

/** The largest difference, under the largest value, in dB. */
function apartDb(made: Float32Array, whole: Float64Array): number {
  let apart = 0;
  let largest = 1e-9;
  for (let n = 0; n < made.length; n++) {
    // What is kept are floats: their own rounding is no step.
    apart = Math.max(apart, Math.abs(made[n] - Math.fround(whole[n])));
    largest = Math.max(largest, Math.abs(whole[n]));
  }
  return 20 * Math.log10(apart / largest + 1e-12);
}

/** −120 dB, and one step of the floats that are kept. */
const law = 20 * Math.log10(1e-6 + 2 ** -24);

const bands = neutralPreparation.bands;
const named: readonly (readonly [string, MakingStep])[] = [
  [
    'a bell of Q 10 at 100 Hz and +18 dB',
    {
      kind: 'preparation',
      preparation: {
        ...neutralPreparation,
        bands: bands.with(1, { kind: 'bell', hz: 100, db: 18, q: 10 }),
      },
    },
  ],
  ...(
    [
      [2000, 10],
      [10, 200],
    ] as const
  ).map(
    ([releaseMs, attackMs]) =>
      [
        `a release of ${releaseMs} ms with an attack of ${attackMs} ms`,
        {
          kind: 'preparation',
          preparation: {
            ...neutralPreparation,
            compressor: { thresholdDb: -40, ratio: 8, attackMs, releaseMs, makeUpDb: 6 },
          },
        },
      ] as const,
  ),
  [
    'a voice with a bell of Q 10 at 20 Hz',
    { kind: 'tone', ratio: 1, tone: { ...neutralTone, bell: { hz: 20, db: 18, q: 10 } } },
  ],
  [
    'an opening that closes in 2 s',
    { kind: 'opening', opening: { thresholdDb: -60, attackMs: 200, releaseMs: 2000 } },
  ],
];

describe('made in blocks it is what is made in one go, to −120 dB', () => {
  test.each(named)('%s', async (_, step) => {
    expect(apartDb(await inBlocks(step, forwards), inOneGo(step))).toBeLessThan(law);
  });

  test.each(named)('%s: a block is the same whichever is asked for first', async (_, step) => {
    const backwards = await inBlocks(step, forwards.toReversed());
    expect(backwards).toEqual(await inBlocks(step, forwards));
  });

  test('with every allowed setting of preparation, tone, colour, amp chain, recorded cabinet, wear and opening', async () => {
    const steps: fc.Arbitrary<MakingStep> = fc.oneof(
      anyPreparation.map((preparation): MakingStep => ({ kind: 'preparation', preparation })),
      fc
        .tuple(anyVoice, fc.constantFrom(0.5, 1, 2))
        .map(([{ tone }, ratio]): MakingStep => ({ kind: 'tone', tone, ratio })),
      anyVoice.map(({ colour }): MakingStep => ({ kind: 'colour', colour, peak: 0.7 })),
      anyAmp.map(({ driveDb, inputDb, shape }): MakingStep => ({
        kind: 'drive',
        drive: { driveDb: Math.max(0.1, driveDb), inputDb, shape },
      })),
      fc
        .tuple(anyAmp, fc.boolean(), fc.constantFrom(0.5, 1, 2))
        .map(([amp, still, ratio]): MakingStep => ({
          kind: 'body',
          body: { ...amp, still },
          ratio,
        })),
      fc
        .tuple(anyVoice, fc.integer({ min: 0, max: 1e6 }))
        .map(([{ worn }, seed]): MakingStep => ({ kind: 'worn', worn, seed })),
      fc
        .tuple(fc.boolean(), fc.boolean(), fc.constantFrom(0.5, 1, 2))
        .map(([keepDelay, levelled, ratio]): MakingStep => ({
          kind: 'cabinet',
          cabinet: { impulse: recorded, keepDelay, levelled },
          ratio,
        })),
      anyStage.map(({ opening }): MakingStep => ({
        kind: 'opening',
        opening: { ...opening, thresholdDb: opening.thresholdDb ?? -60 },
      })),
    );
    await fc.assert(
      fc.asyncProperty(steps, async (step) => {
        // The last blocks first, so that nothing goes on from what was just made.
        const made = await inBlocks(step, [4, 2, 3, 0, 1]);
        expect(apartDb(made, inOneGo(step))).toBeLessThan(law);
      }),
      { numRuns: 40, interruptAfterTimeLimit: 60_000 },
    );
  });
});

test('every allowed setting has a memory, of at most some minutes', () => {
  fc.assert(
    fc.property(
      anyPreparation,
      anyVoice,
      fc.constantFrom(0.5, 1, 2),
      fc.constantFrom(8000, 44_100, 192_000),
      anyAmp,
      (preparation, { tone }, ratio, rateHz, amp) => {
        const steps: MakingStep[] = [
          { kind: 'preparation', preparation },
          { kind: 'tone', tone, ratio },
          { kind: 'body', body: { ...amp, still: true }, ratio },
        ];
        for (const step of steps) {
          const seconds = stepMemory(step, rateHz) / rateHz;
          expect(seconds).toBeGreaterThanOrEqual(0);
          expect(seconds).toBeLessThan(150);
        }
      },
    ),
    { numRuns: 150 },
  );
});

test('memory is stated from poles: what is short stays short, what rings long says so', () => {
  const seconds = (step: MakingStep) => stepMemory(step, rate) / rate;
  expect(
    seconds({ kind: 'preparation', preparation: { ...neutralPreparation, lowCutHz: 80 } }),
  ).toBeLessThan(0.1);
  // τ = Q·A/(π f), A = 10^(18/40): 2.24 s for 120 dB at 100 Hz; with gain and margin above that, under twice.
  const [, bell] = named[0];
  const tau = (10 * 10 ** (18 / 40)) / (Math.PI * 100);
  expect(seconds(bell)).toBeGreaterThan(tau * Math.log(1e6));
  expect(seconds(bell)).toBeLessThan(2 * tau * Math.log(1e6));
  expect(
    openingMemory({ thresholdDb: -60, attackMs: 1, releaseMs: 2000 }, rate) / rate,
  ).toBeGreaterThan(2 * (Math.log(1e6) + Math.log(1000)));
});
