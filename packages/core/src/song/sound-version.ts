/**
 * Counted up whenever what is worked out of a take ahead of playing sounds otherwise than before. Keys of what is kept of it
 * have it in them: made sources, frozen parts and reverbs.
 */
export const makingVersion = 11;
