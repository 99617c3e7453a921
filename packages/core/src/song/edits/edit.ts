import * as z from 'zod';
import { success, type Outcome } from '../../outcome.ts';
import { thing, type Described, type Description } from '../../parameters/description.ts';
import type { Song } from '../song.ts';
import type { editModules } from './modules.ts';

/** The smallest changes of a song. They carry absolute values, never differences. */
export type Edit = {
  [Kind in keyof typeof editModules]: Described<(typeof editModules)[Kind]['description']>;
}[keyof typeof editModules];

export interface Edited {
  readonly song: Song;
  /** Restores the song as it was, field for field. */
  readonly inverse: Edit;
}

/** One kind of edit: what it looks like, what it does, and how two of one gesture are one. */
export interface EditModule<Of extends Description> {
  readonly description: Of;
  /** What is described is allowed by itself; here is refused what the song does not let it do. */
  readonly apply: (song: Song, edit: Described<Of>) => Outcome<Edited>;
  /** The edit that does what both do; null where they do not touch the same. Left out where nothing is merged. */
  readonly merge?: (earlier: Described<Of>, later: Described<Of>) => Described<Of> | null;
}

/** The description of an edit: its kind, and the keys that it has. */
export function editOf<const Kind extends string, const Shape extends z.ZodRawShape>(
  kind: Kind,
  shape: Shape,
) {
  return thing({ kind: z.literal(kind), ...shape });
}

export function edited(song: Song, inverse: Edit): Outcome<Edited> {
  return success({ song, inverse });
}

/** The values that `changes` replaces. */
export function earlier<Thing extends object, Changes extends Partial<Thing>>(
  thing: Thing,
  changes: Changes,
): Changes {
  return Object.fromEntries(
    Object.keys(changes).map((key) => [key, thing[key as keyof Thing]]),
  ) as Changes;
}
