import { readFileSync } from 'node:fs';
import { describe, expect, test } from '@jest/globals';
import { anyOf } from '../parameters/any.fixture.ts';
import { takesDescription } from '../takes/take.ts';
import { clipsOf, readImageFile, takesForFile, writeImageFile } from './image-file.ts';
import { neutralImage } from './image.ts';
import { imageFileSchema } from './image-file-schema.ts';
import fc from 'fast-check';
import { isNeutralPreparation, neutralPreparation } from '../takes/preparation.ts';
import { anyImage, anyPreparation } from './any-image.fixture.ts';
import { recipes } from './recipes.ts';

/** The example of docs/image-file.md. */
const example = {
  format: 'pannet-image',
  formatVersion: 1,
  panLaw: '-3',
  voices: [
    {
      name: 'left double',
      take: 1,
      placement: { kind: 'pan', panPercent: -100 },
      levelDb: 0,
      delay: { value: 11, unit: 'ms' },
      tuner: { kind: 'single', cents: 7, mixPercent: 100, semitones: 0, timbreSemitones: 0 },
      drift: { rangeMs: 0, rateHz: 0.4, seed: 1 },
      polarity: 'normal',
      tone: { lowCutHz: null, highCutHz: null, tiltDb: 0 },
      muted: false,
    },
    {
      name: 'right double',
      take: 1,
      placement: { kind: 'pan', panPercent: 100 },
      delay: { value: 816, unit: 'samples' },
      tuner: { kind: 'single', cents: -7 },
    },
    {
      name: 'difference',
      take: 1,
      placement: { kind: 'mirror' },
      levelDb: -6,
      delay: { value: 14, unit: 'ms' },
    },
  ],
  stage: {
    widthPercent: 100,
    lowMono: { hz: null, kind: 'anchor' },
    tiltDb: 0,
    balancePercent: 0,
    trimDb: 0,
  },
};

function read(json: unknown) {
  return readImageFile(json, 48_000, 1);
}

function refusal(json: unknown): string {
  const outcome = read(json);
  return outcome.ok ? 'read' : `${outcome.error.place}: ${outcome.error.sentence}`;
}

const withVoice = (changes: object) => ({
  ...example,
  voices: [{ ...example.voices[0], ...changes }],
});

test('the documented example is read; what is left out takes its default', () => {
  const outcome = read(example);
  if (!outcome.ok) throw new Error(outcome.error.sentence);
  const { voices } = outcome.value.image;
  expect(voices.map((voice) => voice.delay)).toEqual([
    { value: 11, unit: 'ms' },
    { value: 816, unit: 'samples' },
    { value: 14, unit: 'ms' },
  ]);
  expect(voices[1]).toMatchObject({ levelDb: 0, polarity: 'normal', muted: false, take: 1 });
  expect(voices[2]).toMatchObject({ placement: { kind: 'mirror' }, tuner: { cents: 0 } });
});

test('the least file is one with no voices', () => {
  expect(read({ format: 'pannet-image', formatVersion: 1, voices: [] })).toMatchObject({
    ok: true,
    value: { panLaw: '-3' },
  });
});

test.each(recipes.map((recipe) => [recipe.name, recipe] as const))(
  '%s reads back as it was written',
  (_, { image }) => {
    const file = { name: 'Mine', panLaw: '-4.5' as const, preparation: neutralPreparation, image };
    const outcome = read(JSON.parse(JSON.stringify(writeImageFile(file))));
    expect(outcome).toEqual({ ok: true, value: { ...file, takes: [] } });
  },
);

test('any image and preparation read back as they were written', () => {
  fc.assert(
    fc.property(anyImage, anyPreparation, (image, preparation) => {
      const file = { name: null, panLaw: '-6' as const, preparation, image };
      const outcome = read(JSON.parse(JSON.stringify(writeImageFile(file))));
      const kept = isNeutralPreparation(preparation) ? neutralPreparation : preparation;
      expect(outcome).toEqual({ ok: true, value: { ...file, preparation: kept, takes: [] } });
    }),
  );
});

describe('is refused with path and sentence', () => {
  test.each<[string, unknown, string]>([
    [
      'an unknown key',
      { ...example, colour: 1 },
      'colour: “colour” is not known here; known are “format”, “formatVersion”, “name”, “panLaw”, “preparation”, “takes”, “voices”, “stage”.',
    ],
    [
      'an unknown key deep inside',
      withVoice({ delay: { value: 1, units: 'ms' } }),
      'voices[0].delay.units: “voices[0].delay.units” is not known here; known are “value”, “unit”.',
    ],
    [
      'a delay of 175 ms',
      withVoice({ delay: { value: 175 } }),
      'voices[0].delay.value: Delay must be between −50 and 150 ms; it was 175.',
    ],
    [
      'a level out of range',
      withVoice({ levelDb: 13 }),
      'voices[0].levelDb: Level must be between −60 and 12 dB; it was 13.',
    ],
    [
      'a pan law of its own',
      { ...example, panLaw: '-2' },
      'panLaw: “panLaw” must be one of “-3”, “-4.5”, “-6”, “0”; it was “-2”.',
    ],
    [
      'a newer format',
      { ...example, formatVersion: 2 },
      'formatVersion: “formatVersion” must be 1, the one that this Pannet reads; it was 2.',
    ],
    [
      'another file',
      { format: 'x' },
      'format: This is not an image file: “format” must be “pannet-image”; it was “x”.',
    ],
    ['no voices', { format: 'pannet-image', formatVersion: 1 }, 'voices: “voices” is missing.'],
    ['a list', [], ': An image file must be an object; it was [].'],
    [
      'a second take',
      withVoice({ take: 2 }),
      'voices[0].take: Take must be 1, since there is one take; it was 2.',
    ],
    [
      'a tuner for nothing known',
      withVoice({ tuner: { kind: 'bells' } }),
      'voices[0].tuner.kind: “voices[0].tuner.kind” must be one of “single”, “chords”, “struck”, “pads”; it was “bells”.',
    ],
    [
      'a wander too wide',
      withVoice({ drift: { rangeMs: 40 } }),
      'voices[0].drift.rangeMs: Drift must be between 0 and 20 ms; it was 40.',
    ],
    [
      'half a semitone',
      withVoice({ tuner: { semitones: 0.5 } }),
      'voices[0].tuner.semitones: Transposition must be a whole number between −12 and 12 semitones; it was 0.5.',
    ],
    [
      'a low cut above the high cut',
      withVoice({ tone: { lowCutHz: 900, highCutHz: 600 } }),
      'voices[0].tone.lowCutHz: The low cut must lie under the high cut (600 Hz); it was 900 Hz.',
    ],
    [
      'a low end that begins too low',
      { ...example, stage: { lowMono: { hz: 12 } } },
      'stage.lowMono.hz: Low end in the middle below must be between 40 and 500 Hz, or null (off); it was 12.',
    ],
    [
      'a fourth band',
      { ...example, preparation: { bands: [{}, {}, {}, {}] } },
      'preparation.bands: An equaliser has 3 bands; it had 4.',
    ],
    [
      'a phase too far',
      withVoice({ placement: { kind: 'spread', degrees: 180 } }),
      'voices[0].placement.degrees: Phase apart must be between 0 and 120 °; it was 180.',
    ],
    [
      'muted as text',
      withVoice({ muted: 'yes' }),
      'voices[0].muted: Muted must be true or false; it was “yes”.',
    ],
    [
      'no name',
      withVoice({ name: '' }),
      "voices[0].name: A voice's name has 1 to 60 characters; it was “”.",
    ],
  ])('%s', (_, json, sentence) => {
    expect(refusal(json)).toBe(sentence);
  });
});

test('the schema in docs/ is the one made from the parameter tables', () => {
  const kept: unknown = JSON.parse(
    readFileSync(new URL('../../../../docs/image-file.schema.json', import.meta.url), 'utf8'),
  );
  expect(kept).toEqual(JSON.parse(JSON.stringify(imageFileSchema())));
});

test('what takes have by themselves reads back, their cuts to the frame', () => {
  const rateHz = 44_100;
  const takes = anyOf(takesDescription).map((any) =>
    any.slice(0, 3).map((take, n) => ({
      ...take,
      id: `t${n + 1}`,
      align: take.align && n > 0 ? { ...take.align, to: 't1' } : null,
      clips:
        take.clips &&
        take.clips.map((clip) => {
          const fromFrame = clip.fromFrame % 1e9;
          return { ...clip, fromFrame, toFrame: fromFrame + 1 + (clip.toFrame % 1e9) };
        }),
    })),
  );
  fc.assert(
    fc.property(takes, (given) => {
      const image = neutralImage();
      const written = writeImageFile({
        name: null,
        panLaw: '-3',
        preparation: neutralPreparation,
        image,
        takes: takesForFile(given, rateHz),
      });
      const outcome = readImageFile(JSON.parse(JSON.stringify(written)), rateHz, 3);
      if (!outcome.ok) throw new Error(outcome.error.sentence);
      for (const [n, take] of given.entries()) {
        const read = outcome.value.takes.at(n);
        expect(read?.levelDb ?? 0).toBe(take.levelDb);
        expect(read?.preparation ?? null).toEqual(take.preparation);
        expect(read?.clips ? clipsOf(read.clips, rateHz) : null).toEqual(take.clips);
        expect(read?.align ?? null).toEqual(
          take.align && { to: 1, tightnessPercent: take.align.tightnessPercent },
        );
      }
    }),
  );
});
