import { jsonSchemaOf } from '../parameters/json-schema.ts';
import { imageFileDescription } from './image-file.ts';

/** JSON Schema (draft 2020-12) of the image file, made from its description; docs/image-file.schema.json holds it. */
export function imageFileSchema(): object {
  return { ...jsonSchemaOf(imageFileDescription), title: 'Pannet image file' };
}
