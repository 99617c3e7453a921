import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { anyImage, anyPreparation } from '../image/any-image.fixture.ts';
import type { Image } from '../image/image.ts';
import { neutralStage } from '../image/stage.ts';
import { joined, noise, sine } from '../measurement/signals.fixture.ts';
import { db, dbToGain } from '../quantities/units.ts';
import { apply } from '../song/commands.ts';
import { readSong } from '../song/saved-song.ts';
import { newVoice } from '../voices/voice.ts';
import { compile } from './compile.ts';
import { memoryPlan, memorySong } from './memory.fixture.ts';
import { renderStretch } from './offline.ts';
import { voiceGains } from './strands.ts';

const { abs, max, sqrt } = Math;
const rate = 48_000;

/** The image without all that raises or moves frequencies: what is left can be bounded by its gains. */
function withoutFilters({ voices, stage }: Image): Image {
  return {
    voices: voices.map((voice) => {
      const { placement, levelDb, delay, drift, polarity, muted, id, name } = voice;
      const { kind, cents, semitones, mixPercent } = voice.tuner;
      return newVoice(id, name, {
        placement: placement.kind === 'spread' ? { kind: 'mirror' } : placement,
        tuner: { kind, cents, semitones, mixPercent },
        levelDb,
        delay,
        drift,
        polarity,
        muted,
      });
    }),
    stage: { ...stage, tiltDb: 0, lowMono: neutralStage.lowMono },
  };
}

/** What one side can reach at most, over the peak of the take: all voices at their tops at once. */
function mostOf(image: Image): number {
  const { widthPercent, balancePercent, trimDb, flanksDb } = image.stage;
  let left = 0;
  let right = 0;
  for (const voice of image.voices) {
    const gains = voiceGains(voice, '-3');
    const flanks = max(1, dbToGain(db(flanksDb)));
    left += abs(gains.left) * flanks;
    right += abs(gains.right) * flanks;
  }
  const width = max(1, widthPercent / 100);
  const near = (1 + width) / 2;
  const far = max(0.5, abs(1 - widthPercent / 100) / 2);
  const balance = 1 + abs(balancePercent) / 100;
  const side = near * max(left, right) + far * max(left, right);
  return side * dbToGain(db(trimDb)) * balance;
}

describe('any image', () => {
  test('puts out nothing above what its gains allow', async () => {
    // Tones far below half the rate: an interpolator cannot overshoot them by more than a per cent.
    const tones = [180, 440, 1300].map((hz) => sine(hz, -16, 0.8, rate));
    const take = tones[0].map((value, n) => value + tones[1][n] + tones[2][n]);
    const peak = 3 * 10 ** (-16 / 20);
    await fc.assert(
      fc.asyncProperty(anyImage.map(withoutFilters), async (image) => {
        const memory = memorySong([take], rate, image);
        const plan = await memoryPlan(memory);
        const { left, right } = await renderStretch(plan, 'p0', memory.load, 0, take.length);
        // Where two unlike readings meet in a splice, both are raised by up to √2.
        const limit = 1.02 * Math.SQRT2 * peak * mostOf(image) + 1e-6;
        for (const side of [left, right])
          expect(side.reduce((most, value) => max(most, abs(value)), 0)).toBeLessThanOrEqual(limit);
      }),
      { numRuns: 15 },
    );
  });

  test('dies away to silence without numbers that slow a processor down', async () => {
    const take = joined(noise(0.3, rate, 51), new Float32Array(1.5 * rate));
    const smallest = 2 ** -126;
    await fc.assert(
      fc.asyncProperty(anyImage, anyPreparation, async (image, preparation) => {
        const memory = memorySong([take], rate, image, { preparation });
        const plan = await memoryPlan(memory);
        const { left, right } = await renderStretch(plan, 'p0', memory.load, 0, take.length);
        for (const side of [left, right])
          expect(side.every((value) => value === 0 || abs(value) >= smallest)).toBe(true);
      }),
      { numRuns: 10 },
    );
  });

  test('sounds the same after it was changed and changed back, and after saving', () => {
    const { song } = memorySong([noise(0.1, rate, 3)], rate);
    fc.assert(
      fc.property(anyImage, anyImage, anyPreparation, (one, two, preparation) => {
        const run = (before: typeof song, image: Image) => {
          const edits = [
            { kind: 'set-image', partId: 'p0', image } as const,
            { kind: 'set-preparation', partId: 'p0', preparation } as const,
          ];
          const done = apply(before, { id: 'c', name: 'do', role: 'do', edits });
          if (!done.ok) throw new Error(done.error.sentence);
          return done.value;
        };
        const plan = (of: typeof song) => JSON.stringify(compile(of, new Map()));
        const first = run(song, one).song;
        const second = run(first, two);
        const undo = { id: 'u', name: 'undo', role: 'undo', edits: second.inverse } as const;
        const back = apply(second.song, undo);
        const saved = readSong(JSON.parse(JSON.stringify(first)));
        if (!back.ok || !saved.ok) throw new Error('Neither may fail.');
        expect(plan(back.value.song)).toBe(plan(first));
        expect(plan(saved.value)).toBe(plan(first));
      }),
      { numRuns: 60 },
    );
  });
});

test('the bound is one that is reached: two voices at one place are twice as high', async () => {
  const tone = sine(440, -12, 0.4, rate);
  const image = {
    voices: ['a', 'b'].map((id) =>
      newVoice(id, id, { placement: { kind: 'pan', panPercent: -100 } }),
    ),
    stage: neutralStage,
  };
  const memory = memorySong([tone], rate, image);
  const { left } = await renderStretch(await memoryPlan(memory), 'p0', memory.load, 0, 9600);
  const reached = left.reduce((most, value) => max(most, abs(value)), 0) / 10 ** (-12 / 20);
  expect(reached).toBeCloseTo(2, 2);
  expect(mostOf(image)).toBeGreaterThanOrEqual(reached - 1e-9);
  expect(mostOf(image)).toBeLessThan(sqrt(2) * 2.2);
});
