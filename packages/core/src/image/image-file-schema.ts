import type { Parameter, ParameterTable } from '../parameters/parameter.ts';
import {
  bandParameters,
  colourParameters,
  compressorParameters,
  driftParameters,
  lowMonoParameters,
  openingParameters,
  preparationParameters,
  stageParameters,
  toneParameters,
  tunerParameters,
  voiceParameters,
} from '../parameters/tables.ts';
import { bandKinds } from '../takes/equaliser.ts';
import { preparationBands } from '../takes/preparation.ts';
import { panLaws } from '../voices/pan-law.ts';
import { tunerKinds } from '../voices/voice.ts';
import { mostVoices } from './image.ts';
import { imageFileFormat, imageFileVersion } from './image-file.ts';
import { lowMonoKinds } from './stage.ts';

/** JSON Schema (draft 2020-12) of the image file, made from the parameter tables; docs/image-file.schema.json holds it. */
export function imageFileSchema(): object {
  const number = ({ label, unit, min, max, default: fallback, off, whole }: Parameter) => ({
    type: off === undefined ? (whole ? 'integer' : 'number') : ['number', 'null'],
    minimum: min,
    maximum: max,
    default: off === undefined ? fallback : null,
    description:
      [label, unit].filter(Boolean).join(', ') + (off === undefined ? '' : `; null for ${off}`),
  });
  const group = (table: ParameterTable) =>
    Object.fromEntries(Object.entries(table).map(([key, parameter]) => [key, number(parameter)]));
  const object = (properties: object, required: string[] = []) => ({
    type: 'object',
    additionalProperties: false,
    properties,
    ...(required.length ? { required } : {}),
  });
  const band = group(bandParameters);
  const voice = object({
    name: { type: 'string', minLength: 1, maxLength: 60 },
    take: { type: 'integer', minimum: 1, default: 1 },
    placement: object({
      kind: { enum: ['pan', 'mirror', 'spread'], default: 'pan' },
      panPercent: number(voiceParameters.panPercent),
      degrees: number(voiceParameters.degrees),
    }),
    levelDb: number(voiceParameters.levelDb),
    delay: object({
      value: {
        type: 'number',
        default: 0,
        description: `Delay; from ${voiceParameters.delayMs.min} to ${voiceParameters.delayMs.max} ms, or as many samples as that is`,
      },
      unit: { enum: ['ms', 'samples'], default: 'ms' },
    }),
    tuner: object({
      kind: { enum: [...tunerKinds], default: 'single' },
      ...group(tunerParameters),
    }),
    drift: object(group(driftParameters)),
    colour: object(group(colourParameters)),
    polarity: { enum: ['normal', 'inverted'], default: 'normal' },
    tone: object({ ...group(toneParameters), bell: object(band) }),
    muted: { type: 'boolean', default: false },
  });
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    title: 'Pannet image file',
    ...object(
      {
        format: { const: imageFileFormat },
        formatVersion: { const: imageFileVersion },
        name: { type: 'string', minLength: 1, maxLength: 80 },
        panLaw: { enum: [...panLaws], default: '-3' },
        preparation: object({
          ...group(preparationParameters),
          bands: {
            type: 'array',
            minItems: preparationBands,
            maxItems: preparationBands,
            items: object({ kind: { enum: [...bandKinds] }, ...band }),
          },
          compressor: object(group(compressorParameters)),
        }),
        voices: { type: 'array', maxItems: mostVoices, items: voice },
        stage: object({
          ...group(stageParameters),
          opening: object(group(openingParameters)),
          lowMono: object({
            ...group(lowMonoParameters),
            kind: { enum: [...lowMonoKinds], default: 'anchor' },
          }),
        }),
      },
      ['format', 'formatVersion', 'voices'],
    ),
  };
}
