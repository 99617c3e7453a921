import { describe, expect, test } from '@jest/globals';
import { neutralImage, type Image } from '../image/image.ts';
import { neutralStage } from '../image/stage.ts';
import { newVoice } from '../voices/voice.ts';
import { recipes } from '../image/recipes.ts';
import { delayed, noise } from '../measurement/signals.fixture.ts';
import { bandSum, thirdOctaveBands } from '../measurement/bands.ts';
import { measureStereo } from '../measurement/report.ts';
import { stereoSpectra } from '../measurement/spectra.ts';
import { foldPaths, leadWanderMs, planLeadMs, predictedLoss } from './fold-paths.ts';
import { memoryPlan, memorySong } from './memory.fixture.ts';
import { renderStretch } from './offline.ts';

const rate = 48_000;
const take = noise(10, rate, 15);

async function partOf(image: Image) {
  return (await memoryPlan(memorySong([take], rate, image))).parts[0];
}

describe('the loss that the plan predicts', () => {
  test('one side late: nothing at k/τ, all at (2k+1)/2τ', async () => {
    const part = await partOf(recipes[0].image);
    expect(predictedLoss(part, rate)(1 / 0.014)).toBeCloseTo(0, 6);
    expect(predictedLoss(part, rate)(1 / 0.028)).toBeLessThan(-55);
    expect(predictedLoss(part, rate)(1 / 0.056)).toBeCloseTo(-3.01, 2);
  });

  test('agrees with what is measured of a pure delay within 0.15 dB in every third octave', async () => {
    // 0.2 ms: a comb so wide that third octaves resolve it.
    const late = 10;
    const image: Image = {
      voices: [
        newVoice('v1', 'left', { placement: { kind: 'pan', panPercent: -100 } }),
        newVoice('v2', 'right', {
          placement: { kind: 'pan', panPercent: 100 },
          delay: { value: late, unit: 'samples' },
        }),
      ],
      stage: neutralStage,
    };
    const part = await partOf(image);
    const { report } = measureStereo(take, delayed(take, late), rate);
    for (const band of report.fold.bands) {
      if (band.lossDb === null || band.hz > 1600) continue;
      // The band's mean power, from the prediction at many places in it.
      let sum = 0;
      for (let n = 0; n < 50; n++)
        sum +=
          10 ** (predictedLoss(part, rate)(band.hz * 10 ** (((n + 0.5) / 50 - 0.5) / 10)) / 10);
      expect(Math.abs(10 * Math.log10(sum / 50) - band.lossDb)).toBeLessThan(0.15);
    }
  });

  test('a mirrored voice costs the sides power, but takes nothing from the fold', async () => {
    const part = await partOf(recipes[2].image);
    const paths = foldPaths(part, rate);
    expect(paths).toHaveLength(1);
    expect(paths[0].gain).toBeCloseTo(1, 9);
    const sides = 1 + 10 ** (-3 / 10);
    for (const hz of [100, 1000, 7000])
      expect(predictedLoss(part, rate)(hz)).toBeCloseTo(-10 * Math.log10(sides), 2);
  });

  test('tuned voices add in power and cut no notches', async () => {
    const part = await partOf(recipes[1].image);
    const flat = [60, 333, 1234].map((hz) => predictedLoss(part, rate)(hz));
    expect(Math.max(...flat) - Math.min(...flat)).toBeLessThan(1e-9);
    expect(flat[0]).toBeGreaterThan(-3.01);
    expect(foldPaths(part, rate).filter((path) => !path.coherent)).toHaveLength(2);
  });

  test('a neutral image loses nothing, a silent one has no figure', async () => {
    expect(predictedLoss(await partOf(neutralImage()), rate)(500)).toBeCloseTo(0, 9);
    const silent = await partOf({ ...neutralImage(), voices: [] });
    expect(predictedLoss(silent, rate)(500)).toBe(0);
    expect(planLeadMs(silent, rate)).toBeNull();
  });
});

test('lead counts the voices that speak up on a side, not the faint ones', async () => {
  const voices = recipes[0].image.voices;
  const faint = newVoice('v3', 'faint', {
    placement: { kind: 'pan', panPercent: 100 },
    levelDb: -20,
  });
  expect(
    planLeadMs(await partOf({ voices: [...voices, faint], stage: neutralStage }), rate),
  ).toBeCloseTo(14, 9);
  const loud = { ...faint, levelDb: -6 };
  expect(
    planLeadMs(await partOf({ voices: [...voices, loud], stage: neutralStage }), rate),
  ).toBeCloseTo(0, 9);
});

test('the lead of what drifts and is tuned is told as a range', async () => {
  const side = (panPercent: number) => ({ placement: { kind: 'pan' as const, panPercent } });
  const of = (changes: object) =>
    partOf({
      voices: [newVoice('l', 'l', side(-100)), newVoice('r', 'r', { ...side(100), ...changes })],
      stage: neutralStage,
    });
  expect(leadWanderMs(await of({}), rate)).toBe(0);
  expect(leadWanderMs(await of({ drift: { rangeMs: 4 } }), rate)).toBeCloseTo(4, 3);
  // Splices keep it within some milliseconds of its place while it sounds.
  const tuned = leadWanderMs(await of({ tuner: { cents: 12 } }), rate);
  expect(tuned).toBeGreaterThan(1);
  expect(tuned).toBeLessThan(16);
  // Behind an anchor that stands still nobody leads, however the others wander.
  const image = recipes[1].image;
  expect(image.voices[0].name).toBe('anchor');
  expect(leadWanderMs(await partOf(image), rate)).toBeLessThan(1);
});

describe('the prediction against the sound', () => {
  const rateHz = 48_000;
  const steady = noise(20, rateHz, 17, 0.2);

  test.each([1.3, 7, 14])(
    'a pure delay of %f ms: every third octave of the fold within 0.15 dB',
    async (delayMs) => {
      const image: Image = {
        voices: [
          newVoice('l', 'left', { placement: { kind: 'pan', panPercent: -100 } }),
          newVoice('r', 'right', {
            placement: { kind: 'pan', panPercent: 100 },
            delay: { value: delayMs, unit: 'ms' },
          }),
        ],
        stage: neutralStage,
      };
      const memory = memorySong([steady], rateHz, image);
      const plan = await memoryPlan(memory);
      const { left, right } = await renderStretch(plan, 'p0', memory.load, 0, steady.length);
      const { report } = measureStereo(left, right, rateHz);
      const lossAt = predictedLoss(plan.parts[0], rateHz);
      // The take's own spectrum says how much each frequency weighs.
      const spectra = stereoSpectra(steady, steady, rateHz);
      const lost = spectra.left.map(
        (power, bin) => power * 10 ** (lossAt(bin * spectra.hzPerBin) / 10),
      );
      for (const band of thirdOctaveBands(rateHz).filter(({ hz }) => hz >= 100 && hz <= 12_500)) {
        const whole = bandSum(spectra.left, spectra.hzPerBin, band);
        const predicted = 10 * Math.log10(bandSum(lost, spectra.hzPerBin, band) / whole);
        const measured = report.fold.bands.find(({ hz }) => hz === band.hz)?.lossDb ?? 99;
        expect(Math.abs(predicted - measured)).toBeLessThan(0.15);
      }
    },
  );
});

describe('two takes are two performances', () => {
  const pair = (changes: object = {}, one: object = {}): Image => ({
    voices: [
      newVoice('v1', 'left', { placement: { kind: 'pan', panPercent: -100 }, ...one }),
      newVoice('v2', 'right', {
        take: 2,
        placement: { kind: 'pan', panPercent: 100 },
        delay: { value: 12, unit: 'ms' },
        ...changes,
      }),
    ],
    stage: neutralStage,
  });

  async function both(image: Image) {
    const memory = memorySong([take, noise(10, rate, 99)], rate, neutralImage());
    const { song } = memory;
    const takes = [...song.parts.p0.takes, { ...song.parts.p1.takes[0], id: 't2' }];
    const whole = { ...song, parts: { p0: { ...song.parts.p0, takes, image } }, partOrder: ['p0'] };
    const plan = await memoryPlan({ song: whole, load: memory.load });
    const sides = await renderStretch(plan, 'p0', memory.load, 0, take.length);
    return { part: plan.parts[0], ...sides };
  }

  test('hard left and right they lose 3.0 dB everywhere and cut no comb, whatever their delay', async () => {
    for (const value of [0, 5, 12, 35]) {
      const { part } = await both(pair({ delay: { value, unit: 'ms' } }));
      const lossAt = predictedLoss(part, rate);
      for (let hz = 25; hz < 16_000; hz *= 1.1) expect(lossAt(hz)).toBeCloseTo(-3.0103, 2);
    }
  });

  test.each<[string, Image]>([
    ['a pair of two takes', pair()],
    [
      'a pair and the first one in the middle',
      { ...pair(), voices: [...pair().voices, newVoice('v3', 'centre', { levelDb: -4 })] },
    ],
    [
      'a pair, narrowed, one mirrored copy',
      {
        voices: [
          ...pair({ levelDb: -3 }).voices,
          newVoice('v3', 'difference', {
            placement: { kind: 'mirror' },
            levelDb: -6,
            delay: { value: 0.3, unit: 'ms' },
          }),
        ],
        stage: { ...neutralStage, widthPercent: 70 },
      },
    ],
  ])('%s: the prediction lies within 0.3 dB of the measured fold', async (_, image) => {
    const { part, left, right } = await both(image);
    const { report } = measureStereo(left, right, rate);
    const lossAt = predictedLoss(part, rate);
    for (const band of report.fold.bands) {
      if (band.lossDb === null || band.hz < 160 || band.hz > 12_000) continue;
      let sum = 0;
      for (let n = 0; n < 80; n++)
        sum += 10 ** (lossAt(band.hz * 10 ** (((n + 0.5) / 80 - 0.5) / 10)) / 10);
      expect(Math.abs(10 * Math.log10(sum / 80) - band.lossDb)).toBeLessThan(0.3);
    }
  });
});
