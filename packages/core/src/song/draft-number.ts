import * as z from 'zod';
import { describe } from '../parameters/parameter.ts';

/** The key that a draft is kept under. */
export const draftNumber = z.string().regex(/^[1-9]$/, {
  error: ({ input }) => `A draft is kept under one of the keys 1 to 9; it was ${describe(input)}.`,
});

/** All of them, in their order. */
export const draftNumbers: readonly string[] = Array.from({ length: 9 }, (_, n) => String(n + 1));
