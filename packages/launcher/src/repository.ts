import { fileURLToPath } from 'node:url';

/** The checkout this launcher belongs to. */
export const repository = fileURLToPath(new URL('../../..', import.meta.url)).replace(/\/$/, '');

/** What goes wrong on the engineer's side: said in a sentence, without a stack. */
export class Complaint extends Error {}
