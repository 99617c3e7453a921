import * as z from 'zod';
import {
  choice,
  contentHash,
  count,
  group,
  id,
  text,
  thing,
  value,
  type Described,
  positiveZero,
} from '../parameters/description.ts';
import { alignmentParameters, clipParameters, takeParameters } from '../parameters/tables.ts';
import { preparationDescription } from './preparation.ts';

/** A stretch of a recording placed in a take, in frames of the recording and of the take; between clips is silence. */
const clipDescription = thing({
  fromFrame: count('The beginning of a clip', 0, 2 ** 32),
  toFrame: count('The end of a clip', 1, 2 ** 32),
  atFrame: count('The place of a clip', 0, 2 ** 31),
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

/** So many shifts at most: some fifty minutes of semiquavers. */
export const mostShifts = 20_000;

/**
 * By how many frames later a take is read, from each of its frames on (the first counts from the beginning); and how alike both readings
 * are where one goes over into the next, 0 to 1.
 */
const pathDescription = thing({
  at: z
    .array(count('A place of the path', 0, 2 ** 31))
    .min(1)
    .max(mostShifts),
  shift: z.array(count('A shift', -(2 ** 31), 2 ** 31)).max(mostShifts),
  alike: z.array(z.number().min(0).max(1).overwrite(positiveZero)).max(mostShifts),
}).superRefine(({ at, shift, alike }, context) => {
  if (shift.length !== at.length || alike.length !== at.length)
    context.addIssue({
      code: 'custom',
      path: ['at'],
      params: { code: 'uneven-path' },
      message: `A path has as many places as shifts and likenesses; it had ${at.length}, ${shift.length} and ${alike.length}.`,
    });
  for (let n = 1; n < at.length; n++)
    if (at[n] <= at[n - 1]) {
      context.addIssue({
        code: 'custom',
        path: ['at', n],
        params: { code: 'path-order' },
        message: `The places of a path come one after the other; ${at[n]} came after ${at[n - 1]}.`,
      });
      return;
    }
});

/** So many places at most are held by hand. */
export const mostAnchors = 400;

/** What lies at `place` of the take as it is cut is heard at `at`, however tightly it is lined up; frames. */
const anchorDescription = thing({
  place: count('A place that is held', 0, 2 ** 31),
  at: count('Where it is held', 0, 2 ** 31),
});

/** Brought into time with another take of the part, named by its id. */
const alignmentDescription = thing({
  to: id('a take'),
  ...group(alignmentParameters),
  polarity: choice(['normal', 'inverted']).default('normal'),
  /** As it was found for these takes and this tightness; null until it has been. */
  path: pathDescription.nullable().default(null),
  /** Held by the engineer: the path passes them. */
  anchors: z
    .array(anchorDescription)
    .max(mostAnchors, { error: `A take is held at ${mostAnchors} places at most.` })
    .superRefine((anchors, context) => {
      const n = anchors.findIndex(
        ({ place, at }, k) => k > 0 && (place <= anchors[k - 1].place || at <= anchors[k - 1].at),
      );
      if (n > 0)
        context.addIssue({
          code: 'custom',
          path: [n, 'at'],
          params: { code: 'anchor-order' },
          message: 'What is held comes in the order in which it was played.',
        });
    })
    .default([]),
});

export const mostClips = 2000;

/** What a take has beside its recording; each is left out until it is wanted. */
const takeShape = {
  recording: contentHash(),
  /** 0 or 1. */
  channel: count('A channel', 0, 1),
  /** Its own; null for that of the part. */
  preparation: preparationDescription.unwrap().nullable().default(null),
  levelDb: value(takeParameters.levelDb),
  /** null for the whole recording, from its first frame. */
  clips: z
    .array(clipDescription)
    .min(1, { error: 'A take that is cut has at least one clip.' })
    .max(mostClips, { error: `A take has at most ${mostClips} clips.` })
    .nullable()
    .default(null),
  align: alignmentDescription.nullable().default(null),
};

export const takeDescription = thing({
  id: id('a take'),
  name: text("A take's name", 80),
  ...takeShape,
});

/** One performance of a part: a stretch, or several, of one channel of a recording. */
export type Take = Described<typeof takeDescription>;
export type Clip = NonNullable<Take['clips']>[number];
export type Align = NonNullable<Take['align']>;
export type Anchor = Align['anchors'][number];

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
