import * as z from 'zod';
import {
  choice,
  contentHash,
  count,
  thing,
  value,
  type Described,
} from '../parameters/description.ts';
import { rateParameter } from '../parameters/tables.ts';
import { factsDescription } from '../sources/facts.ts';

const fileName = z.string().min(1).max(1000);
const rateHz = value(rateParameter).unwrap();

/** A file of another format or rate than the song's. */
const originalDescription = thing({
  hash: contentHash(),
  fileName,
  format: z.string().min(1).max(40),
  rateHz: z.number().positive(),
});

/** One audio file as imported, kept byte for byte under its content hash. */
export const recordingDescription = thing({
  hash: contentHash(),
  fileName,
  encoding: choice(['pcm', 'float']),
  bitsPerSample: z.union([z.literal(16), z.literal(24), z.literal(32), z.literal(64)], {
    error: 'A sample has 16, 24, 32 or 64 bits.',
  }),
  channels: z.union([z.literal(1), z.literal(2)], { error: 'A recording has 1 or 2 channels.' }),
  rateHz,
  frames: count('The length of a recording in frames', 1, 2 ** 32),
  dataOffset: count('Where the audio of a file begins'),
  bytesPerFrame: count('The size of a frame', 1, 64),
  /** The file that it was converted from, kept as it came. */
  original: originalDescription.optional(),
  /** What it is; known once it was looked at. */
  facts: factsDescription.optional(),
});
export type Recording = Described<typeof recordingDescription>;
export type Original = Described<typeof originalDescription>;
