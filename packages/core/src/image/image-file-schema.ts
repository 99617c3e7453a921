import type { Parameter } from '../parameters/parameter.ts';
import { stageParameters, voiceParameters } from '../parameters/tables.ts';
import { panLaws } from '../voices/pan-law.ts';
import { mostVoices } from './image.ts';
import { imageFileFormat, imageFileVersion } from './image-file.ts';

/** JSON Schema (draft 2020-12) of the image file, made from the parameter tables; docs/image-file.schema.json holds it. */
export function imageFileSchema(): object {
  const number = ({ label, unit, min, max, default: fallback }: Parameter) => ({
    type: 'number',
    minimum: min,
    maximum: max,
    default: fallback,
    description: `${label}, ${unit}`,
  });
  const object = (properties: object, required: string[] = []) => ({
    type: 'object',
    additionalProperties: false,
    properties,
    ...(required.length ? { required } : {}),
  });
  const notYet = (neutral: number | null) => ({
    const: neutral,
    description: 'Not computed by this version: only the neutral value is taken.',
  });
  const voice = object({
    name: { type: 'string', minLength: 1, maxLength: 60 },
    take: { type: 'integer', minimum: 1, default: 1 },
    placement: object({
      kind: { enum: ['pan', 'mirror'], default: 'pan' },
      panPercent: number(voiceParameters.panPercent),
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
      kind: { enum: ['single'], default: 'single' },
      cents: number(voiceParameters.cents),
      mixPercent: notYet(100),
      semitones: notYet(0),
      timbreSemitones: notYet(0),
    }),
    drift: object({ rangeMs: notYet(0), rateHz: { type: 'number' }, seed: { type: 'number' } }),
    polarity: { enum: ['normal', 'inverted'], default: 'normal' },
    tone: object({ lowCutHz: notYet(null), highCutHz: notYet(null), tiltDb: notYet(0) }),
    muted: { type: 'boolean', default: false },
  });
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    title: 'Pannet image file',
    ...object(
      {
        format: { const: imageFileFormat },
        formatVersion: { const: imageFileVersion },
        panLaw: { enum: [...panLaws], default: '-3' },
        voices: { type: 'array', maxItems: mostVoices, items: voice },
        stage: object({
          widthPercent: number(stageParameters.widthPercent),
          lowMono: object({ hz: notYet(null), kind: { enum: ['anchor', 'difference'] } }),
          tiltDb: notYet(0),
          balancePercent: number(stageParameters.balancePercent),
          trimDb: number(stageParameters.trimDb),
        }),
      },
      ['format', 'formatVersion', 'voices'],
    ),
  };
}
