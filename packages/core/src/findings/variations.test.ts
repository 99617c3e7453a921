import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { usualAmp, type Amp } from '../amps/amp.ts';
import { usualSharedDrive } from '../amps/shared-drive.ts';
import { neutralImage, type Image } from '../image/image.ts';
import { recipes } from '../image/recipes.ts';
import { clampParameter } from '../parameters/parameter.ts';
import { tunerParameters, voiceParameters } from '../parameters/tables.ts';
import { seededRandom } from '../signal/random.ts';
import { delayInMs, newVoice, type Voice } from '../voices/voice.ts';
import { allMayChange, changesInWords, movable, variation, type MayChange } from './variations.ts';

const rateHz = 48_000;
const plain = neutralImage();
const nothing = Object.fromEntries(
  Object.keys(allMayChange).map((key) => [key, false]),
) as unknown as MayChange;

const image: Image = {
  ...plain,
  voices: [
    newVoice('v1', 'anchor'),
    newVoice('v2', 'late', {
      delay: { value: 12, unit: 'ms' },
      placement: { kind: 'pan', panPercent: 100 },
    }),
    newVoice('v3', 'mirrored', {
      delay: { value: 480, unit: 'samples' },
      placement: { kind: 'mirror' },
      levelDb: -6,
    }),
    newVoice('v4', 'silent', { muted: true }),
  ],
};

describe('what a search moves', () => {
  test('is never the voice that sounds first, nor one that is muted', () => {
    expect(movable(image).map(({ id }) => id)).toEqual(['v2', 'v3']);
    const early = { ...image.voices[1], delay: { value: -3, unit: 'ms' } } as Voice;
    const voices = [image.voices[0], early, image.voices[2]];
    expect(movable({ ...image, voices }).map(({ id }) => id)).toEqual(['v1', 'v3']);
    expect(movable(plain)).toEqual([]);
  });

  test('stays in its range, and what may not change does not', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 1e9 }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        fc.constantFrom(...(Object.keys(allMayChange) as (keyof MayChange)[])),
        (seed, reach, kept) => {
          const random = seededRandom(seed);
          let changed = image;
          for (let n = 0; n < 30; n++)
            changed = variation(changed, { ...allMayChange, [kept]: false }, rateHz, reach, random);
          expect(changed.voices[0]).toEqual(image.voices[0]);
          expect(changed.voices[3]).toEqual(image.voices[3]);
          for (const [n, voice] of changed.voices.entries()) {
            const before = image.voices[n];
            const delayMs = delayInMs(voice.delay, rateHz);
            expect(delayMs).toBe(clampParameter(voiceParameters.delayMs, delayMs));
            const { cents } = voice.tuner;
            expect(cents).toBe(clampParameter(tunerParameters.cents, cents));
            expect(voice.levelDb).toBe(clampParameter(voiceParameters.levelDb, voice.levelDb));
            if (kept === 'delay') expect(voice.delay).toEqual(before.delay);
            if (kept === 'cents') expect(voice.tuner).toEqual(before.tuner);
            if (kept === 'polarity') expect(voice.polarity).toBe(before.polarity);
            if (kept === 'placement') expect(voice.placement).toEqual(before.placement);
            if (kept === 'mirrored') expect(voice.levelDb).toBe(before.levelDb);
          }
        },
      ),
    );
  });

  test('is nothing where nothing may', () => {
    const random = seededRandom(3);
    for (let n = 0; n < 20; n++)
      expect(variation(image, nothing, rateHz, 1, random)).toEqual(image);
    expect(variation(plain, allMayChange, rateHz, 1, random)).toBe(plain);
  });

  test('one kind of change alone is of that kind', () => {
    const random = seededRandom(11);
    const words = (may: Partial<MayChange>) =>
      changesInWords(image, variation(image, { ...nothing, ...may }, rateHz, 1, random), rateHz);
    for (let n = 0; n < 12; n++) {
      expect(words({ delay: true })).toMatch(/^((late|mirrored): [\d.]+ → [\d.]+ ms( · )?)+$/);
      expect(words({ cents: true })).toMatch(/cents/);
      expect(words({ placement: true })).toMatch(/mirrored$|late: R \d+ %|as it is/);
    }
  });
});

describe('in words', () => {
  const changed = (n: number, changes: Partial<Voice>, base = image): Image => ({
    ...base,
    voices: base.voices.map((voice, at) => (at === n ? { ...voice, ...changes } : voice)),
  });
  const { voices, stage } = image;

  test.each<[string, Image]>([
    ['as it is', image],
    ['late: 12.0 → 9.0 ms', changed(1, { delay: { value: 9, unit: 'ms' } })],
    ['mirrored: 10.0 → 12.0 ms', changed(2, { delay: { value: 576, unit: 'samples' } })],
    ['late: 0 → −7 cents', changed(1, { tuner: { ...voices[1].tuner, cents: -7 } })],
    ['late: tuned part 40 %', changed(1, { tuner: { ...voices[1].tuner, mixPercent: 40 } })],
    ['late: drift 2.5 ms', changed(1, { drift: { ...voices[1].drift, rangeMs: 2.5 } })],
    ['late: a chain', changed(1, { amp: usualAmp })],
    ['late: worn', changed(1, { worn: { bits: 8, heldHz: null, grainDb: null } })],
    ['drive before all 9.0 dB', { ...image, drive: usualSharedDrive }],
    ['late: polarity turned', changed(1, { polarity: 'inverted' })],
    ['late: mirrored', changed(1, { placement: { kind: 'mirror' } })],
    ['mirrored: middle', changed(2, { placement: { kind: 'pan', panPercent: 0 } })],
    ['late: L 60 %', changed(1, { placement: { kind: 'pan', panPercent: -60 } })],
    ['late: colour and tone', changed(1, { tone: { ...voices[1].tone, tiltDb: 1 } })],
    [
      'late: polarity turned, −3.0 dB · mirrored: −6.5 dB',
      changed(2, { levelDb: -6.5 }, changed(1, { polarity: 'inverted', levelDb: -3 })),
    ],
    ['+ fresh', { ...image, voices: [...voices, newVoice('v9', 'fresh')] }],
    ['mono under 120 Hz', { ...image, stage: { ...stage, lowMono: { hz: 120, kind: 'anchor' } } }],
    [
      'trim −2.0 dB · balance +10 % · width 80 %',
      { ...image, stage: { ...stage, trimDb: -2, balancePercent: 10, widthPercent: 80 } },
    ],
  ])('%s', (words, after) => {
    expect(changesInWords(image, after, rateHz)).toBe(words);
  });

  test.each<[string, Partial<Amp> | null]>([
    [
      'late: drive 12.0 → 20.0 dB, output −3.0 dB, no cabinet',
      { driveDb: 20, levelDb: -3, cabinet: null },
    ],
    ['late: another chain', { shape: 'hard' }],
    ['late: no chain', null],
  ])('of a chain: %s', (words, changes) => {
    const chained = changed(1, { amp: usualAmp });
    const after = changed(1, { amp: changes && { ...usualAmp, ...changes } });
    expect(changesInWords(chained, after, rateHz)).toBe(words);
    const driven = { ...image, drive: usualSharedDrive };
    expect(changesInWords(driven, image, rateHz)).toBe('no drive before all');
  });

  test('a way back is told as well', () => {
    const turned = changed(1, { polarity: 'inverted' });
    expect(changesInWords(turned, image, rateHz)).toBe('late: polarity as it was');
    const held = { ...image, stage: { ...stage, lowMono: { hz: 120, kind: 'anchor' } } } as Image;
    expect(changesInWords(held, image, rateHz)).toBe('low end as it is');
  });

  test('recipes differ from the plain image by what they add', () => {
    for (const recipe of recipes)
      for (const { name, id } of recipe.image.voices)
        if (!plain.voices.some((voice) => voice.id === id))
          expect(changesInWords(plain, recipe.image, rateHz)).toContain(`+ ${name}`);
  });
});
