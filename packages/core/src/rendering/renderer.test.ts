import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { neutralImage, type Image } from '../image/image.ts';
import { anyImage, anyPreparation } from '../image/any-image.fixture.ts';
import { neutralStage } from '../image/stage.ts';
import { blockFrames } from '../sources/blocks.ts';
import { neutralTone } from '../voices/tone.ts';
import { neutralTuner, newVoice, type Delay, type Voice } from '../voices/voice.ts';
import { findRecipe, recipes } from '../image/recipes.ts';
import { noise, outsideDb, rms, sine } from '../measurement/signals.fixture.ts';
import { sidesInTime } from '../measurement/sides-in-time.ts';
import { sideToMidDb } from '../measurement/sides.ts';
import { apply } from '../song/commands.ts';
import { compile } from './compile.ts';
import { foldPaths, planLeadMs } from './fold-paths.ts';
import { memoryPlan, memoryPlayer, supply, memorySong, renderImage } from './memory.fixture.ts';
import { renderPart, renderStretch } from './offline.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { sin, cos, hypot, log10, abs, atan2, max, sqrt, PI } = Math;

const rate = 48_000;
const centre = cos(PI / 4);

function hardLeft(delay: Delay): Image {
  const voice = newVoice('v1', 'left', { placement: { kind: 'pan', panPercent: -100 }, delay });
  return { voices: [voice], stage: neutralStage };
}

describe('time', () => {
  test('a delay of 10.5 samples holds ±0.05 dB and ±0.01 sample at 10 kHz', async () => {
    const hz = 10_000;
    const { left } = await renderImage(
      sine(hz, -6, 1, rate),
      hardLeft({ value: 10.5, unit: 'samples' }),
    );
    let re = 0;
    let im = 0;
    for (let n = 1000; n < 1000 + 4800 * 8; n++) {
      re += left[n] * cos((2 * PI * hz * n) / rate);
      im += left[n] * sin((2 * PI * hz * n) / rate);
    }
    const size = (2 * hypot(re, im)) / (4800 * 8);
    expect(abs(20 * log10(size) + 6)).toBeLessThan(0.05);
    const turns = 10.5 * (hz / rate);
    const phase = -atan2(re, im) / (2 * PI);
    const error = (phase - turns - Math.round(phase - turns)) * (rate / hz);
    expect(abs(error)).toBeLessThan(0.01);
  });

  test.each<[Delay, number]>([
    [{ value: 14, unit: 'ms' }, 672],
    [{ value: 816, unit: 'samples' }, 816],
    [{ value: -50, unit: 'ms' }, -2400],
    [{ value: 150, unit: 'ms' }, 7200],
    [{ value: 0, unit: 'ms' }, 0],
  ])('an impulse arrives at its frame: %j', async (delay, frames) => {
    const take = new Float32Array(20_000);
    take[8000] = 0.5;
    const { left, right } = await renderImage(take, hardLeft(delay));
    expect(left[8000 + frames]).toBe(0.5);
    expect(rms(left)).toBeCloseTo(rms(take), 12);
    expect(Math.max(...right)).toBe(0);
  });
});

describe('images', () => {
  const take = noise(1, rate, 5);

  test('a neutral image is plain, sample for sample', async () => {
    const memory = memorySong([take]);
    const plan = await memoryPlan(memory);
    const image = await renderStretch(plan, 'p0', memory.load, 0, take.length, 'image');
    const plain = await renderStretch(plan, 'p0', memory.load, 0, take.length, 'plain');
    expect(image).toEqual(plain);
  });

  test('plain can be a voice: its tone in the middle, without its delay or its side', async () => {
    const tone = { lowCutHz: 500 };
    const image = {
      voices: [
        newVoice('a', 'anchor'),
        newVoice('b', 'thin', {
          placement: { kind: 'pan', panPercent: 100 },
          delay: { value: 12, unit: 'ms' },
          tone,
        }),
      ],
      stage: neutralStage,
    };
    const plainOf = async (plainVoice: string | null) => {
      const memory = memorySong([take], rate, image, { plainVoice });
      return renderStretch(await memoryPlan(memory), 'p0', memory.load, 0, take.length, 'plain');
    };
    const thin = await plainOf('b');
    const middle = { voices: [newVoice('b', 'thin', { tone })], stage: neutralStage };
    expect(thin).toEqual(await renderImage(take, middle));
    // Of a voice that is no longer there nothing is left but the take.
    expect(await plainOf('gone')).toEqual(await plainOf(null));
    expect(rms(thin.left)).toBeLessThan(rms((await plainOf(null)).left));
  });

  test('mirrored and anchor fold to the plain take (Lauridsen 1954), to −120 dB', async () => {
    const mirrored = recipes.find((recipe) => recipe.id === 'mirrored');
    const { left, right } = await renderImage(take, mirrored?.image as Image);
    const difference = left.map((value, n) => (value + right[n]) / 2 - take[n] * centre);
    expect(20 * log10(rms(difference) / rms(take))).toBeLessThan(-120);
    expect(abs((sideToMidDb(sidesInTime(left, right, rate).sums) ?? 0) + 3)).toBeLessThan(0.2);
  });

  test('an 80 % image is M ± 0.8·S of the full one, and 0 % is mono', async () => {
    const full = recipes[0].image;
    const at = (widthPercent: number) =>
      renderImage(take, { ...full, stage: { ...full.stage, widthPercent } });
    const [whole, narrow, mono] = [await at(100), await at(80), await at(0)];
    let worst = 0;
    for (let n = 0; n < take.length; n++) {
      const middle = (whole.left[n] + whole.right[n]) / 2;
      const side = (whole.left[n] - whole.right[n]) / 2;
      const [left, right] = [middle + 0.8 * side, middle - 0.8 * side];
      worst = max(worst, abs(narrow.left[n] - left), abs(narrow.right[n] - right));
    }
    expect(worst).toBeLessThan(5e-7);
    expect(mono.left).toEqual(mono.right);
  });

  test('balance only lowers the far side; trim and polarity do what they say', async () => {
    const stage = { ...neutralStage, balancePercent: 50, trimDb: 6 };
    const voice = newVoice('v1', 'centre', { polarity: 'inverted' });
    const { left, right } = await renderImage(take, { voices: [voice], stage });
    const gain = -centre * 10 ** (6 / 20);
    expect(right[777]).toBeCloseTo(take[777] * gain, 6);
    expect(left[777]).toBeCloseTo((take[777] * gain) / 2, 6);
  });

  test('the plan says the comb and the lead before it is heard', async () => {
    const plan = await memoryPlan(memorySong([take], rate, recipes[0].image));
    expect(planLeadMs(plan.parts[0], rate)).toBeCloseTo(14, 9);
    // A low end that is held in the middle does not hide it.
    const held = findRecipe('low-held')?.image;
    const low = await memoryPlan(memorySong([take], rate, held));
    expect(planLeadMs(low.parts[0], rate)).toBeCloseTo(16, 9);
    const paths = foldPaths(plan.parts[0], rate);
    expect(paths.map((path) => path.delaySeconds)).toEqual([0, 0.014]);
    for (const path of paths) expect(path.gain).toBeCloseTo(Math.SQRT1_2, 9);
  });

  test('equal tuned doubles fold within 0.5 dB of −3.01', async () => {
    const doubles = recipes[1].image;
    const image = { ...doubles, voices: doubles.voices.slice(1) };
    const long = noise(20, rate, 8);
    const { left, right } = await renderImage(long, image);
    const fold = left.map((value, n) => (value + right[n]) / 2);
    const sides = sqrt((rms(left) ** 2 + rms(right) ** 2) / 2);
    expect(abs(20 * log10(rms(fold) / sides) + 3.01)).toBeLessThan(0.5);
  });
});

describe('laws', () => {
  const take = noise(1.6, rate, 9);

  test('from any start the same bits, and nothing that is not finite', async () => {
    await fc.assert(
      fc.asyncProperty(
        anyImage,
        anyPreparation,
        fc.integer({ min: 0, max: 60_000 }),
        async (image, preparation, start) => {
          const memory = memorySong([take], rate, image, { preparation });
          const plan = await memoryPlan(memory);
          const whole = await renderStretch(plan, 'p0', memory.load, 0, take.length);
          const part = await renderStretch(plan, 'p0', memory.load, start, start + 4000);
          expect(part.left).toEqual(whole.left.slice(start, start + 4000));
          expect(part.right).toEqual(whole.right.slice(start, start + 4000));
          expect(whole.left.every(Number.isFinite)).toBe(true);
        },
      ),
      { numRuns: 12 },
    );
  });

  test('a stretch that ends just before a block reads into it while a splice fades: an octave up', async () => {
    const voices = [newVoice('v1', 'up', { tuner: { kind: 'chords', cents: 0, semitones: 12 } })];
    const memory = memorySong([take], rate, { voices, stage: neutralStage });
    const plan = await memoryPlan(memory);
    const whole = await renderStretch(plan, 'p0', memory.load, 0, take.length);
    // Every place before the border, in steps that no splice is shorter than.
    for (let end = 2 * blockFrames - 3000; end < 2 * blockFrames; end += 120) {
      const part = await renderStretch(plan, 'p0', memory.load, end - 900, end);
      expect(part.left).toEqual(whole.left.slice(end - 900, end));
    }
  });

  test('the player in blocks of any size taps what the export renders', async () => {
    await fc.assert(
      fc.asyncProperty(
        anyImage,
        fc.integer({ min: 0, max: 20_000 }),
        fc.array(fc.integer({ min: 1, max: 700 }), { minLength: 5, maxLength: 40 }),
        async (image, start, sizes) => {
          const memory = memorySong([take], rate, image);
          const plan = await memoryPlan(memory);
          const { player } = await memoryPlayer(memory, plan);
          player.seek(start);
          player.play();
          const frames = sizes.reduce((sum, size) => sum + size, 0);
          const tapped = new Float32Array(frames);
          let at = 0;
          for (const size of sizes) {
            const [l, r, tapLeft, tapRight] = [0, 1, 2, 3].map(() => new Float32Array(size));
            player.process(l, r, tapLeft, tapRight, size);
            tapped.set(tapLeft, at);
            at += size;
          }
          const { left } = await renderStretch(plan, 'p0', memory.load, start, start + frames);
          expect(tapped).toEqual(left);
          expect(player.underruns).toBe(0);
        },
      ),
      { numRuns: 12 },
    );
  });
});

describe('changes while a 1 kHz sine plays leave nothing above −60 dB outside 900 to 1100 Hz', () => {
  const tone = sine(1000, -12, 6, rate);
  const image = recipes[0].image;
  const voices = (changes: Partial<Voice>): Image => ({
    ...image,
    voices: image.voices.map((voice) => ({ ...voice, ...changes })),
  });
  const toned = (changes: Partial<Voice['tone']>) =>
    voices({ tone: { ...neutralTone, ...changes } });
  const tuned = (changes: Partial<Voice['tuner']>) =>
    voices({ tuner: { ...neutralTuner, timbreSemitones: 2, ...changes } });
  const drags: [string, (share: number) => Image][] = [
    ['delay', (share) => voices({ delay: { value: 30 * share, unit: 'ms' } })],
    ['position', (share) => voices({ placement: { kind: 'pan', panPercent: 200 * share - 100 } })],
    ['level', (share) => voices({ levelDb: -40 * share })],
    [
      'mirrored or not',
      (share) =>
        voices({
          placement: share % 0.2 < 0.1 ? { kind: 'mirror' } : { kind: 'pan', panPercent: 40 },
        }),
    ],
    ['polarity', (share) => voices({ polarity: share % 0.2 < 0.1 ? 'inverted' : 'normal' })],
    ['voices that come and go', (share) => (share % 0.2 < 0.1 ? neutralImage() : recipes[2].image)],
    ['width', (share) => ({ ...image, stage: { ...image.stage, widthPercent: 200 * share } })],
    [
      'balance',
      (share) => ({ ...image, stage: { ...image.stage, balancePercent: 200 * share - 100 } }),
    ],
    ['flanks', (share) => ({ ...image, stage: { ...image.stage, flanksDb: -24 * share } })],
    ['drift', (share) => voices({ drift: { rangeMs: 8 * share, rateHz: 0.3, seed: 2 } })],
    ['wet', (share) => tuned({ mixPercent: 100 * share })],
    ['colour', (share) => voices({ colour: { oddPercent: 5 * share, evenPercent: 0 } })],
    ['tilt of a voice', (share) => toned({ tiltDb: 24 * share - 12 })],
    ['low cut', (share) => toned({ lowCutHz: 40 + 800 * share })],
    ['high cut', (share) => toned({ highCutHz: 8000 - 6000 * share })],
    ['bell', (share) => toned({ bell: { hz: 1200, db: 18 * share - 9, q: 1 } })],
    ['phase spreading', (share) => voices({ placement: { kind: 'spread', degrees: 120 * share } })],
    [
      'low end',
      (share) => ({
        ...image,
        stage: { ...image.stage, lowMono: { hz: 80 + 400 * share, kind: 'anchor' } },
      }),
    ],
    [
      'tilt of the difference',
      (share) => ({ ...image, stage: { ...image.stage, tiltDb: 24 * share - 12 } }),
    ],
    [
      'width by level',
      (share) => ({
        ...image,
        stage: {
          ...image.stage,
          widthPercent: 20,
          opening: { thresholdDb: -40 + 36 * share, attackMs: 20, releaseMs: 200 },
        },
      }),
    ],
    ['trim', (share) => ({ ...image, stage: { ...image.stage, trimDb: -24 * share } })],
  ];
  const made = new Set([
    'colour',
    'phase spreading',
    'low end',
    'tilt of the difference',
    'width by level',
  ]);
  test.each(drags)('%s', async (name, drag) => {
    const memory = memorySong([tone], rate, image);
    const plan = await memoryPlan(memory);
    const { player, store } = await memoryPlayer(memory, plan);
    player.seek(rate);
    player.play();
    const frames = 3 * rate;
    const tapped = [new Float32Array(frames), new Float32Array(frames)];
    const [heardLeft, heardRight] = [new Float32Array(128), new Float32Array(128)];
    // A mouse that moves sends some sixty changes a second; where blocks have to be made for each, fewer get through.
    const everyBlocks = made.has(name) ? 48 : 6;
    for (let at = 0, block = 0; at + 128 <= frames; at += 128, block++) {
      if (block % everyBlocks === 0) {
        const edited = apply(memory.song, {
          id: 'c',
          name: 'drag',
          role: 'do',
          edits: [{ kind: 'set-image', partId: 'p0', image: drag(at / frames) }],
        });
        if (!edited.ok) throw new Error(edited.error.sentence);
        const next = compile(edited.value.song, new Map(), plan);
        await supply(store, memory, next, rate + at);
        player.supplied();
        player.aim(next);
      }
      player.process(
        heardLeft,
        heardRight,
        tapped[0].subarray(at, at + 128),
        tapped[1].subarray(at, at + 128),
        128,
      );
    }
    for (const side of tapped)
      if (rms(side) > 1e-4) expect(outsideDb(side, rate, 900, 1100)).toBeLessThan(-60);
  });
});

test('rendering past the end lets the tail ring out', async () => {
  const take = new Float32Array(4000);
  take[3999] = 0.5;
  const memory = memorySong([take], rate, hardLeft({ value: 10, unit: 'ms' }));
  const plan = await memoryPlan(memory);
  let found = 0;
  for await (const block of renderPart(plan, 'p0', memory.load, 0, 12_000))
    found = Math.max(found, ...block.left);
  expect(found).toBe(0.5);
});
