import * as z from 'zod';
import { success, type Outcome } from '../outcome.ts';
import { choice, text, thing } from '../parameters/description.ts';
import { describe } from '../parameters/parameter.ts';
import { read } from '../parameters/reading.ts';
import {
  isNeutralPreparation,
  preparationDescription,
  type Preparation,
} from '../takes/preparation.ts';
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
}

export function writeImageFile(file: ImageFile): object {
  const { name, panLaw, preparation, image } = file;
  return {
    format: imageFileFormat,
    formatVersion: imageFileVersion,
    ...(name === null ? {} : { name }),
    panLaw,
    ...(isNeutralPreparation(preparation) ? {} : { preparation }),
    voices: image.voices.map(({ id: _, ...voice }) => voice),
    stage: image.stage,
  };
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
  preparation: preparationDescription,
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
  const { name, panLaw, preparation, stage } = file.value;
  const voices = file.value.voices.map((voice, n): Voice => ({
    ...voice,
    id: `v${n + 1}`,
    name: voice.name ?? `voice ${n + 1}`,
  }));
  const image = { voices, stage };
  const checked = checkImage(image, rateHz, takes, '');
  return checked.ok ? success({ name, panLaw, preparation, image }) : checked;
}
