/** All that can be found. */
export const findingCodes = [
  'silent',
  'one-sided',
  'drops-out',
  'clipped',
  'dc',
  'hum',
  'over-peak',
  'still-mono',
  'only-a-copy',
  'cancels',
  'cancels-in-places',
  'drops',
  'hollow',
  'leads',
  'leans',
  'echo',
  'low-wide',
  'low-lost',
  'low-soft',
  'chorusing',
  'too-wide',
  'spread-too-strong',
  'level-flatters',
  'squash-differs',
  'sides-uneven',
  'chains-apart',
  'driven',
  'motion-dies',
  'nothing-wrong',
] as const;

export type FindingCode = (typeof findingCodes)[number];

/** One sentence about what is wrong, where, and by how much. */
export interface Finding {
  readonly code: FindingCode;
  /** What, how much, where, and why. */
  readonly sentence: string;
  /** Where in the song, in seconds. */
  readonly place?: { readonly fromSeconds: number; readonly toSeconds: number };
}
