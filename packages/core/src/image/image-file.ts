import * as z from 'zod';
import { isRecorded, renamedImpulse } from '../amps/amp.ts';
import { sharedDriveDescription } from '../amps/shared-drive.ts';
import { success, type Outcome } from '../outcome.ts';
import {
  choice,
  count,
  group,
  seconds,
  text,
  thing,
  value,
  type Described,
} from '../parameters/description.ts';
import { describe } from '../parameters/parameter.ts';
import { read } from '../parameters/reading.ts';
import {
  isNeutralPreparation,
  preparationDescription,
  type Preparation,
} from '../takes/preparation.ts';
import { alignmentParameters, clipParameters, takeParameters } from '../parameters/tables.ts';
import { mostClips, mostTakes, type Take } from '../takes/take.ts';
import { panLaws, type PanLaw } from '../voices/pan-law.ts';
import { voiceShape, type Voice } from '../voices/voice.ts';
import { checkImage, voicesOf, type Image } from './image.ts';
import { stageDescription } from './stage.ts';

/** An image as it is written down beside a session; see docs/image-file.md. */
export const imageFileFormat = 'pannet-image';
export const imageFileVersion = 1;

export interface ImageFile {
  /** Of a recipe that was kept; null where the file has none. */
  readonly name: string | null;
  readonly panLaw: PanLaw;
  readonly preparation: Preparation;
  readonly image: Image;
  /** What is done to each take by itself, in their order; fewer where nothing is. */
  readonly takes: readonly TakeOfFile[];
}

const clipOfFile = thing({
  fromS: seconds('The beginning of a clip, “fromS”,'),
  toS: seconds('The end of a clip, “toS”,'),
  atS: seconds('The place of a clip, “atS”,'),
  ...group(clipParameters),
}).refine(({ fromS, toS }) => toS > fromS, {
  path: ['toS'],
  error: ({ input }) => {
    const { fromS, toS } = input as { fromS: number; toS: number };
    return `A clip ends after it begins (${fromS} s); its end was ${toS}.`;
  },
});

const takeOfFile = thing({
  preparation: preparationDescription.unwrap().nullable().default(null),
  levelDb: value(takeParameters.levelDb),
  /** `to` counts the takes from 1. */
  align: thing({
    to: count('The take to line up with', 1, mostTakes),
    ...group(alignmentParameters),
  })
    .nullable()
    .default(null),
  clips: z
    .array(clipOfFile)
    .min(1, { error: 'A take that is cut has at least one clip.' })
    .max(mostClips, { error: `A take has at most ${mostClips} clips.` })
    .nullable()
    .default(null),
});
export type TakeOfFile = Described<typeof takeOfFile>;

/** A file's clips, whose times are in seconds, at a rate. */
export function clipsOf(
  clips: NonNullable<TakeOfFile['clips']>,
  rateHz: number,
): NonNullable<Take['clips']> {
  const inFrames = (s: number) => Math.round(s * rateHz);
  return clips.map(({ fromS, toS, atS, ...fades }) => ({
    ...fades,
    fromFrame: inFrames(fromS),
    toFrame: Math.max(inFrames(fromS) + 1, inFrames(toS)),
    atFrame: inFrames(atS),
  }));
}

/** What a part's takes have by themselves, as a file says it; nothing where none has anything. Paths are found anew. */
export function takesForFile(takes: readonly Take[], rateHz: number): readonly TakeOfFile[] {
  const number = (id: string) => takes.findIndex((take) => take.id === id) + 1;
  const told = takes.map(({ preparation, levelDb, align, clips }): TakeOfFile => ({
    preparation,
    levelDb,
    align:
      align && number(align.to) > 0
        ? { to: number(align.to), tightnessPercent: align.tightnessPercent }
        : null,
    clips:
      clips &&
      clips.map(({ fromFrame, toFrame, atFrame, ...fades }) => ({
        ...fades,
        fromS: fromFrame / rateHz,
        toS: toFrame / rateHz,
        atS: atFrame / rateHz,
      })),
  }));
  const last = told.findLastIndex(
    ({ preparation, levelDb, align, clips }) => preparation || levelDb !== 0 || align || clips,
  );
  return told.slice(0, last + 1);
}

export function writeImageFile(
  file: Omit<ImageFile, 'takes'> & { readonly takes?: readonly TakeOfFile[] },
): object {
  const { name, panLaw, preparation, image, takes = [] } = file;
  const { drive } = image;
  const before = {
    ...(isNeutralPreparation(preparation) ? {} : preparation),
    ...(drive ? { drive } : {}),
  };
  return {
    format: imageFileFormat,
    formatVersion: imageFileVersion,
    ...(name === null ? {} : { name }),
    panLaw,
    ...(isNeutralPreparation(preparation) && !drive ? {} : { preparation: before }),
    ...(takes.length === 0 ? {} : { takes }),
    voices: image.voices.map(({ id: _, ...voice }) => voice),
    stage: image.stage,
  };
}

/** An image whose recorded impulse responses are called otherwise. */
export function withImpulses(image: Image, rename: (impulse: string) => string): Image {
  return {
    ...image,
    voices: image.voices.map((voice) => ({ ...voice, amp: renamedImpulse(voice.amp, rename) })),
  };
}

/** What the recorded impulse responses of an image are called in it, each once. */
export function impulsesOf({ voices }: Image): readonly string[] {
  return [
    ...new Set(
      voices.flatMap(({ amp }) =>
        amp?.cabinet && isRecorded(amp.cabinet) ? [amp.cabinet.impulse] : [],
      ),
    ),
  ];
}

/** The file as it is written: see docs/image-file.md. */
export const imageFileDescription = thing({
  format: z.literal(imageFileFormat, {
    error: ({ input }) =>
      input === undefined
        ? undefined
        : `This is not an image file: “format” must be “${imageFileFormat}”; it was ${describe(input)}.`,
  }),
  formatVersion: z.literal(imageFileVersion, {
    error: ({ input }) =>
      input === undefined
        ? undefined
        : `“formatVersion” must be ${imageFileVersion}, the one that this Pannet reads; it was ${describe(input)}.`,
  }),
  name: text('“name”', 80).nullable().default(null),
  panLaw: choice(panLaws).default('-3'),
  /** With what stands in front of all voices. */
  preparation: thing({
    ...preparationDescription.unwrap().shape,
    drive: sharedDriveDescription.nullable().default(null),
  }).prefault({}),
  takes: z
    .array(takeOfFile)
    .max(mostTakes, { error: `An image has at most ${mostTakes} takes.` })
    .default([]),
  voices: voicesOf(thing({ ...voiceShape, name: voiceShape.name.optional() })),
  stage: stageDescription,
});

/**
 * Reads an image file that was already parsed from JSON. What is left out takes its table's default.
 * @param rateHz the take's rate, on which the range of delays in samples depends
 * @param takes how many takes the voices may name
 */
export function readImageFile(json: unknown, rateHz: number, takes: number): Outcome<ImageFile> {
  const file = read(imageFileDescription, json, '', 'An image file');
  if (!file.ok) return file;
  const { name, panLaw, stage, takes: described } = file.value;
  const { drive, ...preparation } = file.value.preparation;
  const voices = file.value.voices.map((voice, n): Voice => ({
    ...voice,
    id: `v${n + 1}`,
    name: voice.name ?? `voice ${n + 1}`,
  }));
  const image = { voices, stage, ...(drive ? { drive } : {}) };
  const checked = checkImage(image, rateHz, takes, '');
  return checked.ok ? success({ name, panLaw, preparation, image, takes: described }) : checked;
}
