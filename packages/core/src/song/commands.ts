import { failure, success, type Outcome } from '../outcome.ts';
import { describe } from '../parameters/parameter.ts';
import { applyEdit, type Edit } from './edits.ts';
import type { Song } from './song.ts';

/**
 * One step of work, named as the engineer reads it under undo: one or several edits that stand or fall together. Undo and
 * redo are commands of their own, so the log only grows.
 */
export interface Command {
  /** Made by the client, unique; a command that comes twice is applied once. */
  readonly id: string;
  readonly name: string;
  readonly role: 'do' | 'undo' | 'redo';
  readonly edits: readonly Edit[];
}

/** A command as the log keeps it. */
export interface LoggedCommand extends Command {
  /** Edits that take it back, in the order in which they are to be applied. */
  readonly inverse: readonly Edit[];
}

export interface Applied {
  readonly song: Song;
  readonly inverse: readonly Edit[];
}

export const mostEdits = 400;

/**
 * Applies a command whole or not at all. The song that comes in is never changed. What comes from outside may have any
 * shape, so a value of the wrong type deep inside an edit is a failure too, not an exception.
 */
export function apply(song: Song, command: Command): Outcome<Applied> {
  if (!Array.isArray(command.edits) || command.edits.length < 1 || command.edits.length > mostEdits)
    return failure('bad-edits', `A command has 1 to ${mostEdits} edits.`, 'edits');
  let current = song;
  const inverse: Edit[] = [];
  for (const [n, edit] of command.edits.entries()) {
    let outcome;
    try {
      outcome = applyEdit(current, edit);
    } catch (error) {
      if (!(error instanceof TypeError)) throw error;
      outcome = failure('malformed', `The edit ${describe(edit)} lacks something that it needs.`);
    }
    if (!outcome.ok) {
      const { code, sentence, place } = outcome.error;
      return failure(code, sentence, place ? `edits[${n}].${place}` : `edits[${n}]`);
    }
    current = outcome.value.song;
    inverse.unshift(outcome.value.inverse);
  }
  return success({ song: current, inverse });
}
