import { describe, expect, test } from '@jest/globals';
import type { Image } from '../image/image.ts';
import { neutralStage, type Stage } from '../image/stage.ts';
import { noise, rms, sine } from '../measurement/signals.fixture.ts';
import { newVoice } from '../voices/voice.ts';
import { junction, offeredCorner } from './junction.ts';
import { renderImage } from './memory.fixture.ts';

const { log10, max, min, abs, sqrt } = Math;
const rate = 48_000;
const level = (samples: Float32Array) =>
  20 * log10(rms(samples, rate / 2, samples.length - rate / 2));
const less = (a: Float32Array, b: Float32Array) => a.map((value, n) => value - b[n]);

function late(delayMs: number, stage: Partial<Stage>): Image {
  return {
    voices: [
      newVoice('v1', 'left', { placement: { kind: 'pan', panPercent: -100 } }),
      newVoice('v2', 'right', {
        placement: { kind: 'pan', panPercent: 100 },
        delay: { value: delayMs, unit: 'ms' },
      }),
    ],
    stage: { ...neutralStage, ...stage },
  };
}

describe('low-end mono by the anchor', () => {
  test('below the corner L is R to −40 dB, at the level that both had', async () => {
    for (const hz of [30, 50, 70]) {
      const tone = sine(hz, -12, 4, rate);
      const held = await renderImage(tone, late(14, { lowMono: { hz: 120, kind: 'anchor' } }));
      const open = await renderImage(tone, late(14, {}));
      expect(level(less(held.left, held.right)) - level(held.left)).toBeLessThan(-40);
      for (const side of ['left', 'right'] as const)
        expect(abs(level(held[side]) - level(open[side]))).toBeLessThan(0.3);
    }
  });

  test('far above it nothing has changed, to the sample of its delay', async () => {
    const take = sine(2500, -12, 3, rate);
    const held = await renderImage(take, late(14, { lowMono: { hz: 120, kind: 'anchor' } }));
    const open = await renderImage(take, late(14, {}));
    for (const side of ['left', 'right'] as const)
      expect(level(less(held[side], open[side])) - level(open[side])).toBeLessThan(-50);
  });

  test.each([5, 8, 11, 14, 17, 21, 25])(
    '%i ms late: the junction is nowhere deeper than 1.5 dB, and sounds as it was computed',
    async (delayMs) => {
      let image = late(delayMs, { lowMono: { hz: 120, kind: 'anchor' } });
      const hz = offeredCorner(image, '-3', rate) ?? 120;
      image = late(delayMs, { lowMono: { hz, kind: 'anchor' } });
      const found = junction(image, '-3', rate);
      expect(found?.deepestDb).toBeGreaterThan(-1.5);
      const { points = [] } = found ?? {};
      for (const point of [points[12], points[36], points[50], points[66]]) {
        const { left, right } = await renderImage(sine(point.hz, -12, 3, rate), image);
        expect(abs(level(left) - level(sine(point.hz, -12, 3, rate)) - point.left)).toBeLessThan(
          0.2,
        );
        // The halves are in phase at 0 dB, so that a side cannot be louder than the take.
        expect(level(right) - level(left)).toBeLessThan(0.1);
        expect(level(right) - level(left)).toBeGreaterThan(-1.7);
      }
    },
  );
});

describe('low-end mono by the difference', () => {
  test('cuts the difference below the corner and leaves the middle as it was', async () => {
    const open = { widthPercent: 100 };
    const cut = { ...open, lowMono: { hz: 150, kind: 'difference' as const } };
    const take = noise(3, rate, 5);
    const before = await renderImage(take, late(9, open));
    const after = await renderImage(take, late(9, cut));
    const middle = (sides: { left: Float32Array; right: Float32Array }) =>
      sides.left.map((value, n) => (value + sides.right[n]) / 2);
    expect(level(less(middle(before), middle(after)))).toBeLessThan(-120);
    const low = await renderImage(sine(40, -12, 3, rate), late(9, cut));
    expect(level(less(low.left, low.right)) - level(low.left)).toBeLessThan(-40);
  });

  test('a source on one side alone goes to the middle below the corner, without a dip at it', async () => {
    const image: Image = {
      voices: [newVoice('v1', 'left', { placement: { kind: 'pan', panPercent: -100 } })],
      stage: { ...neutralStage, lowMono: { hz: 120, kind: 'difference' } },
    };
    for (const hz of [40, 100, 120, 145, 400]) {
      const tone = sine(hz, -12, 3, rate);
      const { left, right } = await renderImage(tone, image);
      // With matching phase on both, L² + R² goes steadily from all on L to half the amplitude on both.
      expect(level(left) - level(tone)).toBeLessThan(0.05);
      expect(level(left) - level(tone)).toBeGreaterThan(-6.1);
      const sum = left.map((value, n) => value + right[n]);
      expect(abs(level(sum) - level(tone))).toBeLessThan(0.05);
    }
  });
});

test('tilting the difference leaves the fold alone and turns the difference about 1 kHz', async () => {
  const take = noise(3, rate, 6);
  const flat = await renderImage(take, late(11.33, {}));
  const tilted = await renderImage(take, late(11.33, { tiltDb: 8 }));
  const fold = less(
    flat.left.map((value, n) => value + flat.right[n]),
    tilted.left.map((value, n) => value + tilted.right[n]),
  );
  expect(level(fold)).toBeLessThan(-120);
  for (const [hz, gain] of [
    [100, -4],
    [1000, 0],
    [10_000, 4],
  ]) {
    const tone = sine(hz, -12, 3, rate);
    const [a, b] = [
      await renderImage(tone, late(11.33, {})),
      await renderImage(tone, late(11.33, { tiltDb: 8 })),
    ];
    const side = level(less(b.left, b.right)) - level(less(a.left, a.right));
    expect(abs(side - gain)).toBeLessThan(0.3);
  }
});

test('the width opens with the level: closed below the threshold, as set above it', async () => {
  const image = late(11, {
    widthPercent: 0,
    opening: { thresholdDb: -30, attackMs: 10, releaseMs: 100 },
  });
  const narrow = await renderImage(sine(700, -10, 3, rate), image);
  const wide = await renderImage(sine(700, -50, 3, rate), image);
  expect(level(less(narrow.left, narrow.right))).toBeLessThan(-120);
  const untouched = await renderImage(sine(700, -50, 3, rate), late(11, {}));
  expect(level(less(wide.left, untouched.left))).toBeLessThan(-140);
  // From one to the other without a step that is heard.
  const rising = sine(700, -10, 3, rate).map((value, n) => value * min(1, n / (2 * rate)));
  const { left } = await renderImage(rising, image);
  let steepest = 0;
  for (let n = 1; n < left.length; n++) steepest = max(steepest, abs(left[n] - left[n - 1]));
  expect(steepest).toBeLessThan(sqrt(2) * 10 ** (-10 / 20) * ((2 * Math.PI * 700) / rate));
});
