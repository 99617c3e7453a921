import * as z from 'zod';
import { rowOf, type Description } from './description.ts';

/** JSON Schema of what a description reads, with label and unit of every parameter; or as an API's documents have it. */
export function jsonSchemaOf(
  description: Description,
  target: 'draft-2020-12' | 'openapi-3.0' = 'draft-2020-12',
): object {
  return z.toJSONSchema(description, {
    io: 'input',
    target,
    override: ({ zodSchema, jsonSchema }) => {
      const row = rowOf.get(zodSchema as unknown as Description);
      // Said once, where the default is: what is inside of it is registered, too.
      if (!row || (zodSchema as unknown as Description).def.type !== 'default') return;
      const { label, unit, off } = row;
      jsonSchema.description =
        [label, unit].filter(Boolean).join(', ') + (off === undefined ? '' : `; null for ${off}`);
    },
  });
}
