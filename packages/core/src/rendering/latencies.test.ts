import { describe, expect, test } from '@jest/globals';
import { ampDescription } from '../amps/amp.ts';
import { neutralImage } from '../image/image.ts';
import { neutralStage, type Stage } from '../image/stage.ts';
import { noise, rms, sine } from '../measurement/signals.fixture.ts';
import { neutralPreparation, type Preparation } from '../takes/preparation.ts';
import { spreadPhase } from '../voices/response.ts';
import { newVoice, type VoiceChanges } from '../voices/voice.ts';
import { memoryPlan, memorySong, renderImage } from './memory.fixture.ts';
import { renderStretch } from './offline.ts';

const { abs, cos, max, log10, PI, sqrt } = Math;
const rate = 48_000;
const take = noise(1.2, rate, 31);

/** By how many frames the second signal comes late: peak of the correlation, refined by a parabola. */
function lagOf(first: Float32Array, second: Float32Array): number {
  const reach = 40;
  const values: number[] = [];
  for (let lag = -reach; lag <= reach; lag++) {
    let sum = 0;
    for (let n = 12_000; n < 44_000; n++) sum += first[n] * second[n + lag];
    values.push(sum);
  }
  let best = 1;
  for (let k = 1; k < values.length - 1; k++) if (values[k] > values[best]) best = k;
  const [a, b, c] = values.slice(best - 1, best + 2);
  return best - reach + (0.5 * (a - c)) / (a - 2 * b + c);
}

/** Every way in which sound can go through a filter, an oversampler, a transform or an envelope. */
const ways: readonly (readonly [
  name: string,
  voice: VoiceChanges,
  stage?: Partial<Stage>,
  preparation?: Partial<Preparation>,
])[] = [
  ['nothing', {}],
  ['colour', { colour: { oddPercent: 20, evenPercent: 20 } }],
  ['tone', { tone: { tiltDb: 1, lowCutHz: 20 } }],
  ['timbre', { tuner: { timbreSemitones: 0.5 } }],
  ['an amp', { amp: ampDescription.parse({ driveDb: 1, shape: 'hard', squashPercent: 10 }) }],
  ['phase spreading', { placement: { kind: 'spread', degrees: 60 } }],
  ['tilted difference', {}, { tiltDb: 6 }],
  ['low end by the difference', {}, { lowMono: { hz: 120, kind: 'difference' } }],
  ['low end by the anchor', {}, { lowMono: { hz: 120, kind: 'anchor' } }],
  ['opening width', {}, { opening: { ...neutralStage.opening, thresholdDb: -30 } }],
  ['preparation', {}, {}, { lowCutHz: 20 }],
  [
    'compressor',
    {},
    {},
    { compressor: { ...neutralPreparation.compressor, thresholdDb: -30, ratio: 2 } },
  ],
];

describe('whatever a voice goes through, it comes out in its place', () => {
  test.each(ways)('%s', async (_, voice, stage = {}, preparation = {}) => {
    const image = {
      voices: [newVoice('v', 'voice', voice)],
      stage: { ...neutralStage, ...stage },
    };
    const memory = memorySong([take], rate, image, {
      preparation: { ...neutralPreparation, ...preparation },
    });
    const plan = await memoryPlan(memory);
    const { left, right } = await renderStretch(plan, 'p0', memory.load, 0, take.length);
    // The sides of a spread voice are early and late by frequency; in the fold they meet.
    const fold = left.map((value, n) => (value + right[n]) / 2);
    expect(abs(lagOf(take, fold))).toBeLessThan(0.05);
  });

  test('wet and dry of a half tuned voice start from the same place', async () => {
    const tuner = { cents: 0.001, mixPercent: 50 };
    const image = { ...neutralImage(), voices: [newVoice('v', 'voice', { tuner })] };
    const { left } = await renderImage(take, image);
    expect(abs(lagOf(take, left))).toBeLessThan(0.05);
  });
});

describe('phase spreading', () => {
  const image = (degrees: number) => ({
    ...neutralImage(),
    voices: [newVoice('v', 'voice', { placement: { kind: 'spread', degrees } })],
  });

  test.each([
    [60, 800],
    [60, 1200],
    [110, 1200],
    [110, 2300],
    [110, 5000],
  ])(
    'of %i° at %i Hz: both sides keep their level, and the fold loses |cos(Δφ/2)|',
    async (degrees, hz) => {
      const tone = sine(hz, -12, 1.2, rate);
      const { left, right } = await renderImage(tone, image(degrees));
      const from = rate / 2;
      const to = rate;
      const fold = left.map((value, n) => (value + right[n]) / 2);
      expect(20 * log10(rms(left, from, to) / rms(right, from, to))).toBeCloseTo(0, 2);
      const apart = 2 * spreadPhase(hz, degrees);
      expect(20 * log10(rms(fold, from, to) / rms(left, from, to))).toBeCloseTo(
        20 * log10(abs(cos(apart / 2))),
        2,
      );
      expect(abs((apart * 180) / PI)).toBeLessThanOrEqual(degrees);
    },
  );

  test('a click stays a click: its energy lies within 8 ms', async () => {
    const click = new Float32Array(rate);
    click[24_000] = 0.9;
    const { left } = await renderImage(click, image(110));
    const near = rms(left, 24_000 - 192, 24_000 + 192) * sqrt(384);
    const all = rms(left) * sqrt(left.length);
    expect((near / all) ** 2).toBeGreaterThan(0.98);
    expect(max(...left.map(abs))).toBeGreaterThan(0.25);
  });
});
