import * as z from 'zod';
import {
  contentHash,
  count,
  finite,
  group,
  id,
  text,
  thing,
  value,
  type Described,
} from '../parameters/description.ts';
import { alignmentParameters, clipParameters, takeParameters } from '../parameters/tables.ts';
import { preparationDescription } from './preparation.ts';

/** A stretch of a recording placed in a take, in frames of the recording and of the take; between clips is silence. */
const clipDescription = thing({
  fromFrame: count('The beginning of a clip'),
  toFrame: count('The end of a clip', 1),
  atFrame: finite('The place of a clip'),
  ...group(clipParameters),
}).superRefine(({ fromFrame, toFrame }, context) => {
  if (toFrame <= fromFrame)
    context.addIssue({
      code: 'custom',
      path: ['toFrame'],
      params: { code: 'empty-clip' },
      message: `A clip ends after it begins (frame ${fromFrame}); its end was ${toFrame}.`,
    });
});

/** Brought into time with another take of the part, named by its id. */
const alignmentDescription = thing({ to: id('a take'), ...group(alignmentParameters) });

/** What a take has beside its recording; each is left out until it is wanted. */
const takeShape = {
  recording: contentHash(),
  /** 0 or 1. */
  channel: count('A channel', 0, 1),
  /** Its own; null for that of the part. */
  preparation: preparationDescription.unwrap().nullable().default(null),
  levelDb: value(takeParameters.levelDb),
  /** null for the whole recording, from its first frame. */
  clips: z.array(clipDescription).max(2000).nullable().default(null),
  align: alignmentDescription.nullable().default(null),
};

export const takeDescription = thing({
  id: id('a take'),
  name: text("A take's name", 80),
  ...takeShape,
});

/** One performance of a part: a stretch, or several, of one channel of a recording. */
export type Take = Described<typeof takeDescription>;

export const mostTakes = 16;

/** Songs from before takes had names: they are counted. */
const looseTake = thing({
  id: id('a take').optional(),
  name: text("A take's name", 80).optional(),
  ...takeShape,
});

export const takesDescription = z
  .array(looseTake)
  .min(1, { error: 'A part needs at least one take.' })
  .max(mostTakes, { error: `A part has at most ${mostTakes} takes.` })
  .transform((takes): Take[] =>
    takes.map(({ id = '', name = '', ...take }, n) => ({
      id: id || `t${n + 1}`,
      name: name || `take ${n + 1}`,
      ...take,
    })),
  );

/** Takes as they come out of recordings, with what they have where nothing is said. */
export function newTakes(
  takes: readonly (Pick<Take, 'recording' | 'channel'> & Partial<Take>)[],
): readonly Take[] {
  return takes.length === 0 ? [] : takesDescription.parse(takes);
}
