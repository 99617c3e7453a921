import { applyEdit } from './edits/apply-edit.ts';
import { listChanges } from './edits/change-list.ts';
import type { Edit } from './edits/edit.ts';
import type { Song } from './song.ts';

/**
 * Edits that do the same to a song and name only what differs: an edit that gives a whole list anew becomes changes by id.
 * Where an edit does not fit the song, it and what follows stay as they are, for whoever applies them to refuse.
 */
export function smallEdits(song: Song, edits: readonly Edit[]): readonly Edit[] {
  if (!edits.some(isWhole)) return edits;
  const small: Edit[] = [];
  let current = song;
  for (const [n, edit] of edits.entries()) {
    const outcome = applyEdit(current, edit);
    if (!outcome.ok) return [...small, ...edits.slice(n)];
    const next = outcome.value.song;
    const changes = isWhole(edit) ? changesBetween(edit.kind, current, next) : [edit];
    // A command has at least one edit.
    small.push(...(changes.length > 0 || edits.length > 1 ? changes : [edit]));
    current = next;
  }
  return small.length > 0 ? small : edits;
}

type WholeKind = 'set-moves' | 'set-groups' | 'set-rooms';

function isWhole(edit: Edit): edit is Extract<Edit, { kind: WholeKind }> {
  return edit.kind === 'set-moves' || edit.kind === 'set-groups' || edit.kind === 'set-rooms';
}

function changesBetween(kind: WholeKind, before: Song, after: Song): Edit[] {
  switch (kind) {
    case 'set-moves':
      return listChanges('change-moves', before.moves, after.moves);
    case 'set-groups':
      return listChanges('change-groups', before.groups, after.groups);
    case 'set-rooms':
      return listChanges('change-rooms', before.rooms, after.rooms);
  }
}
