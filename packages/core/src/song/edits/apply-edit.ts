import { failure, type Outcome } from '../../outcome.ts';
import { describe } from '../../parameters/parameter.ts';
import { read } from '../../parameters/reading.ts';
import { refusedGrowth } from '../size.ts';
import type { Song } from '../song.ts';
import type { Edit, Edited, EditModule } from './edit.ts';
import { editModules } from './modules.ts';

type AnyModule = EditModule<(typeof editModules)[keyof typeof editModules]['description']>;

/** @param kind as it came, which may be anything */
function moduleOf(kind: unknown): AnyModule | undefined {
  return typeof kind === 'string' && Object.hasOwn(editModules, kind)
    ? (editModules[kind as keyof typeof editModules] as unknown as AnyModule)
    : undefined;
}

/** Applies what may have any shape: it is read by its description first, and then trusted. */
export function applyEdit(song: Song, received: unknown): Outcome<Edited> {
  const kind = (received as { readonly kind?: unknown } | null | undefined)?.kind;
  const found = moduleOf(kind);
  if (!found) return failure('unknown-edit', `There is no edit called ${describe(kind)}.`, 'kind');
  const edit = read(found.description, received, '', 'The edit');
  if (!edit.ok) return edit;
  const outcome = found.apply(song, edit.value as never);
  return (outcome.ok && refusedGrowth(song, outcome.value.song)) || outcome;
}

/** The edit that does what two of one gesture do; null where there is none. */
export function mergeEdits(earlier: Edit, later: Edit): Edit | null {
  if (earlier.kind !== later.kind) return null;
  return moduleOf(later.kind)?.merge?.(earlier as never, later as never) ?? null;
}
