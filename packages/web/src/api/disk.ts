import * as z from 'zod/mini';
import { request } from './request.ts';

const use = z.object({
  neededBytes: z.number(),
  unneededBytes: z.number(),
  deletedSongs: z.int(),
  databaseBytes: z.number(),
  freeBytes: z.number(),
  purgeDays: z.int(),
});

/** What the server's disk is used for, in bytes. */
export type DiskUse = z.output<typeof use>;

export const getDiskUse = () => request('GET', '/api/disk', use);
