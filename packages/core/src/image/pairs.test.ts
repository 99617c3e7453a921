import { describe, expect, test } from '@jest/globals';
import { newVoice } from '../voices/voice.ts';
import { checkImage, mostVoices, neutralImage } from './image.ts';
import {
  areMirrorImages,
  copiedAcross,
  duplicated,
  figuresText,
  hasOtherSide,
  mirrored,
  opposite,
  usualFigures,
  withFigures,
  withPair,
} from './pairs.ts';

const plain = neutralImage();

describe('a pair', () => {
  test('stands hard left and right, made from the selected voice, named after its sides', () => {
    const tuned = { ...plain.voices[0], tuner: { ...plain.voices[0].tuner, cents: -7 } };
    const made = withPair({ ...plain, voices: [tuned] }, 'v1');
    expect(made?.pair).toEqual(['v2', 'v3']);
    const [, left, right] = made?.image.voices ?? [];
    expect([left.name, right.name]).toEqual(['left', 'right']);
    expect(left.placement).toEqual({ kind: 'pan', panPercent: -100 });
    expect(right.placement).toEqual({ kind: 'pan', panPercent: 100 });
    expect([left.tuner.cents, right.tuner.cents]).toEqual([-7, 7]);
    expect(checkImage(made?.image ?? plain, 48_000, 1).ok).toBe(true);
  });

  test('a second pair has names of its own, and a full image takes none', () => {
    let image = plain;
    let pairs = 0;
    for (let made = withPair(image, null); made; made = withPair(image, null)) {
      image = made.image;
      pairs++;
    }
    expect(pairs).toBe(Math.floor((mostVoices - 1) / 2));
    expect(image.voices.map(({ name }) => name).slice(1, 5)).toEqual([
      'left',
      'right',
      'left 2',
      'right 2',
    ]);
    expect(new Set(image.voices.map(({ name }) => name)).size).toBe(image.voices.length);
  });

  test.each(usualFigures.map((figures) => [figuresText(figures), figures] as const))(
    'takes %s at one press, and every rate allows it',
    (_, figures) => {
      const made = withPair(plain, 'v1');
      if (!made) throw new Error('No room.');
      const given = withFigures(made.image, made.pair, figures);
      const [middle, left, right] = given.voices;
      expect(middle).toEqual(plain.voices[0]);
      expect(left.delay).toEqual({ value: figures.leftMs, unit: 'ms' });
      expect(right.delay).toEqual({ value: figures.rightMs, unit: 'ms' });
      expect(left.tuner.cents + right.tuner.cents).toBe(0);
      expect(Object.is(left.tuner.cents, -0)).toBe(false);
      for (const rate of [8000, 44_100, 192_000]) expect(checkImage(given, rate, 1).ok).toBe(true);
    },
  );
});

test('a change of one is the mirror image of it for the other, and only what was changed', () => {
  const before = newVoice('l', 'left', { tuner: { cents: 4, mixPercent: 40 } });
  const other = newVoice('r', 'right', { tuner: { cents: -9, mixPercent: 40 } });
  const moved = { placement: { kind: 'pan', panPercent: -30 } } as const;
  expect(mirrored(before, moved, moved)).toEqual({ placement: { kind: 'pan', panPercent: 30 } });
  const cents = { tuner: { ...before.tuner, cents: 6 } };
  expect(mirrored(before, { tuner: { ...other.tuner, cents: 6 } }, cents).tuner?.cents).toBe(-6);
  const mix = { tuner: { ...before.tuner, mixPercent: 80 } };
  expect(mirrored(before, { tuner: { ...other.tuner, mixPercent: 80 } }, mix).tuner).toEqual({
    ...other.tuner,
    mixPercent: 80,
  });
  expect(mirrored(before, { levelDb: -3 }, { levelDb: -3 })).toEqual({ levelDb: -3 });
  const spread = { placement: { kind: 'spread', degrees: 40 } } as const;
  expect(mirrored(before, spread, spread)).toEqual(spread);
});

test('copies are named after where they stand; what stands in the middle has no other side', () => {
  const left = newVoice('v2', 'mine', {
    placement: { kind: 'pan', panPercent: -60 },
    tuner: { cents: 4 },
  });
  const image = { ...plain, voices: [...plain.voices, left] };
  expect(duplicated(image, 'v2').voices.at(-1)).toEqual({ ...left, id: 'v3', name: 'left' });
  const across = copiedAcross(image, 'v2').voices.at(-1);
  expect(across).toMatchObject({ name: 'right', placement: { panPercent: 60 } });
  expect(across?.tuner.cents).toBe(-4);
  expect(opposite(opposite(left))).toEqual(left);
  expect(copiedAcross(image, 'v1')).toBe(image);
  expect(areMirrorImages(left, opposite(left))).toBe(true);
  expect(areMirrorImages(left, left)).toBe(false);
  const spread = newVoice('v9', 'spread', { placement: { kind: 'spread', degrees: 60 } });
  expect(hasOtherSide(spread)).toBe(false);
  expect(areMirrorImages(spread, { ...spread, id: 'v8' })).toBe(true);
  expect(duplicated(image, 'none')).toBe(image);
});
