import type { Command, LoggedCommand } from '@pannet/core/song/commands';
import type { Song } from '@pannet/core/song/song';
import * as z from 'zod/mini';
import { Refused, request } from './request.ts';

// What is looked at here is what is relied on; a document is read by its own description, by whoever opens it.

const may = z.enum(['read', 'work', 'own']);
const summary = z.object({
  id: z.string(),
  title: z.string(),
  revision: z.int(),
  parts: z.int(),
  updatedAt: z.string(),
  may,
  owner: z.nullable(z.string()),
});
const logPage = z.object({
  log: z.array(
    z.object({
      id: z.string(),
      name: z.string(),
      role: z.enum(['do', 'undo', 'redo']),
      edits: z.array(z.unknown()),
      inverse: z.array(z.unknown()),
    }),
  ) as unknown as z.ZodMiniType<readonly LoggedCommand[]>,
  earlier: z.nullable(z.int()),
});
const opened = z.extend(logPage, {
  song: z.record(z.string(), z.unknown()) as unknown as z.ZodMiniType<Song>,
  revision: z.int(),
  may,
});
const shares = z.array(z.object({ name: z.string(), may: z.enum(['read', 'work']) }));

export type SongSummary = z.output<typeof summary>;
export type OpenedSong = z.output<typeof opened>;
export type Share = z.output<typeof shares>[number];

const at = (id: string) => `/api/songs/${id}`;

export const listSongs = () => request('GET', '/api/songs', z.array(summary));
export const createSong = (title: string) => request('POST', '/api/songs', summary, { title });
export const openSong = (id: string) => request('GET', at(id), opened);
export const songRevision = (id: string) =>
  request('GET', `${at(id)}/revision`, z.object({ revision: z.int() }));
/** Commands of the log up to a revision. */
export const openLog = (id: string, upTo: number) =>
  request('GET', `${at(id)}/log?upTo=${upTo}`, logPage);
export const deleteSong = (id: string) => request<void>('DELETE', at(id), null);
export const restoreSong = (id: string) => request('POST', `${at(id)}/restore`, summary);
/** A song of its own with what this one was at a revision. */
export const copySong = (id: string, revision: number, title: string) =>
  request('POST', `${at(id)}/copies`, summary, { revision, title });

export const sendCommands = (id: string, baseRevision: number, commands: readonly Command[]) =>
  request('POST', `${at(id)}/commands`, z.object({ revision: z.int() }), {
    baseRevision,
    commands: commands.map(({ id: commandId, name, role, edits }) => ({
      id: commandId,
      name,
      role,
      edits,
    })),
  });

/** Gives a song another title, as a step of its work. What was done to it since it was listed does not stand in the way of that. */
export async function renameSong(
  { id, revision }: Pick<SongSummary, 'id' | 'revision'>,
  title: string,
): Promise<void> {
  const edits = [{ kind: 'set-title', title } as const];
  const step: Command = { id: crypto.randomUUID(), name: `title: ${title}`, role: 'do', edits };
  try {
    await sendCommands(id, revision, [step]);
  } catch (error) {
    if (!(error instanceof Refused) || error.failure.code !== 'other-revision') throw error;
    const { revision: now } = error.document;
    if (typeof now !== 'number') throw error;
    await sendCommands(id, now, [step]);
  }
}

const shareAt = (id: string, name: string) => `${at(id)}/shares/${encodeURIComponent(name)}`;
export const listShares = (id: string) => request('GET', `${at(id)}/shares`, shares);
export const shareSong = (id: string, { name, may: right }: Share) =>
  request('PUT', shareAt(id, name), shares, { may: right });
export const unshareSong = (id: string, name: string) =>
  request('DELETE', shareAt(id, name), shares);
