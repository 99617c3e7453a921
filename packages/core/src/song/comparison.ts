import * as z from 'zod';
import { count, id, thing, type Described } from '../parameters/description.ts';
import { describe } from '../parameters/parameter.ts';

/** To the second, in universal time. */
const isoTime = /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(?:\.\d+)?Z$/;

const state = z.string().regex(/^(?:plain|image|[1-9])$/, {
  error: 'Two different ones of “plain”, “image” and the drafts 1 to 9 are compared.',
});

/** The outcome of a blind comparison of two states of a part: “plain”, “image” or the number of a draft. */
export const comparisonDescription = thing({
  id: id('a comparison'),
  /** When it was ended, ISO 8601. */
  at: z
    .string()
    .max(40)
    .regex(isoTime, {
      error: ({ input }) => `A comparison has a time in UTC (ISO 8601); it was ${describe(input)}.`,
    }),
  partId: id('a part'),
  first: state,
  second: state,
  rounds: count('The number of rounds', 1, 1000),
  /** In how many of the rounds the first one was chosen. */
  firstChosen: count('In how many rounds the first was chosen', 0, 1000),
}).superRefine(({ first, second, rounds, firstChosen }, context) => {
  const say = (code: string, message: string) =>
    context.addIssue({ code: 'custom', params: { code }, message });
  if (first === second)
    say('bad-states', 'Two different ones of “plain”, “image” and the drafts 1 to 9 are compared.');
  if (firstChosen > rounds)
    say('bad-comparison', 'The first was chosen in none to all of the rounds.');
});
export type Comparison = Described<typeof comparisonDescription>;

export const mostComparisons = 200;
