import * as z from 'zod';
import { imageDescription, neutralImage } from '../image/image.ts';
import { choice, flag, id, text, thing, value, type Described } from '../parameters/description.ts';
import { describe } from '../parameters/parameter.ts';
import { partParameters } from '../parameters/tables.ts';
import { neutralPreparation, preparationDescription } from '../takes/preparation.ts';
import { newTakes, takesDescription, type Take } from '../takes/take.ts';
import { frozenDescription } from '../rooms/room.ts';
import { imageMovesDescription } from './along.ts';
import { draftNumber } from './draft-number.ts';

export const families = ['voice', 'plucked', 'bowed', 'keys', 'low', 'struck', 'other'] as const;
export type Family = (typeof families)[number];

const letter = z
  .string({ error: ({ input }) => letterError(input) })
  .regex(/^[a-z]$/, { error: ({ input }) => letterError(input) });
const letterError = (input: unknown) =>
  `A part's toggle key is one letter from a to z, or null; it was ${describe(input)}.`;

/** One instrument or singer of the song. */
export const partDescription = thing({
  id: id('a part'),
  name: text("A part's name", 80),
  family: choice(families).default('other'),
  takes: takesDescription,
  levelDb: value(partParameters.levelDb),
  muted: flag('Muted').default(false),
  /** What is done to every take before it is spread that has no preparation of its own. */
  preparation: preparationDescription,
  image: imageDescription,
  /** Kept states of the image, under the number keys 1 to 9. */
  drafts: z.record(draftNumber, imageDescription).default({}),
  /** How each of them moves along the song; one that is not here leaves the moves as they are. */
  draftMoves: z.record(draftNumber, imageMovesDescription).default({}),
  /** The draft that the image was last kept as or recalled from. */
  draft: draftNumber.nullable().default(null),
  /** Id of the voice that plain is, put in the middle; null for the first take as it is. */
  plainVoice: id('the voice that plain is').nullable().default(null),
  /** The letter that flips the part between plain and image; null for the one that its row gives it. */
  toggleKey: letter.nullable().default(null),
  /** Its image, rendered ahead at a level of 0 dB: read in the place of it for as long as that is what it would be. */
  frozen: frozenDescription.nullable().default(null),
  /** Codes of findings that are no faults here: the engineer means them so. */
  meant: z
    .array(text('The code of a finding', 40))
    .max(64, { error: 'A part has at most 64 findings that are meant so.' })
    .default([]),
});
export type Part = Described<typeof partDescription>;

/** A part whose image is its take in the middle, as recorded. */
export function newPart(
  id: string,
  name: string,
  family: Family,
  takes: readonly (Pick<Take, 'recording' | 'channel'> & Partial<Take>)[],
  changes: Partial<Omit<Part, 'takes'>> = {},
): Part {
  return {
    id,
    name,
    family,
    takes: newTakes(takes),
    levelDb: 0,
    muted: false,
    preparation: neutralPreparation,
    image: neutralImage(),
    drafts: {},
    draftMoves: {},
    draft: null,
    plainVoice: null,
    toggleKey: null,
    frozen: null,
    meant: [],
    ...changes,
  };
}
