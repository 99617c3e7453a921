import type { Edit } from '@pannet/core/song/edits/edit';
import type { SessionState } from '../sync/session-state.ts';

/** The parts whose level these edits move: by a fader, the trim, the flanks, or a voice's level. */
export function levelsMovedBy(edits: readonly Edit[]): readonly string[] {
  return edits.flatMap((edit) => {
    switch (edit.kind) {
      case 'set-part':
        return edit.changes.levelDb === undefined ? [] : [edit.partId];
      case 'set-stage':
        return edit.changes.trimDb === undefined && edit.changes.flanksDb === undefined
          ? []
          : [edit.partId];
      case 'set-voice':
        return edit.changes.levelDb === undefined ? [] : [edit.partId];
      default:
        return [];
    }
  });
}

/** What is said when a level that was held is let go for that. */
export const heardAsMoved = (name: string) =>
  `“${name}” is heard at the level that you set: equal loudness was let go.`;

/** What the newest step of work did, whether it was done, undone or done again. */
export function newestEdits(
  { history }: Pick<SessionState, 'history'>,
  before: Pick<SessionState, 'history'>,
): readonly Edit[] {
  const undone = history.redo.length > before.history.redo.length;
  return (undone ? history.redo : history.undo).at(-1)?.edits ?? [];
}
