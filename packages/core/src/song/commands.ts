import { failure, success, type Outcome } from '../outcome.ts';
import { applyEdit, mergeEdits } from './edits/apply-edit.ts';
import type { Edit } from './edits/edit.ts';
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
 * shape; each edit is read by its description.
 */
export function apply(song: Song, command: Command): Outcome<Applied> {
  const steps = applying(song, command);
  let step = steps.next();
  while (!step.done) step = steps.next();
  return step.value;
}

/** The same, edit by edit, for whoever has something else to do in between: a server that answers others. */
export function* applying(
  song: Song,
  command: Command,
): Generator<undefined, Outcome<Applied>, undefined> {
  if (!Array.isArray(command.edits) || command.edits.length < 1 || command.edits.length > mostEdits)
    return failure('bad-edits', `A command has 1 to ${mostEdits} edits.`, 'edits');
  let current = song;
  const inverse: Edit[] = [];
  for (const [n, edit] of command.edits.entries()) {
    if (n > 0) yield;
    const outcome = applyEdit(current, edit);
    if (!outcome.ok) {
      const { code, sentence, place } = outcome.error;
      return failure(code, sentence, place ? `edits[${n}].${place}` : `edits[${n}]`);
    }
    current = outcome.value.song;
    inverse.push(outcome.value.inverse);
  }
  return success({ song: current, inverse: inverse.reverse() });
}

/**
 * Two neighbouring steps of one gesture as one: the ticks of a wheel, a key that is held. null where they do not touch the
 * same settings.
 */
export function mergeCommands(earlier: Command, later: Command): Command | null {
  if (earlier.role !== 'do' || later.role !== 'do') return null;
  if (earlier.edits.length !== later.edits.length) return null;
  const edits: Edit[] = [];
  for (const [n, edit] of later.edits.entries()) {
    const merged = mergeEdits(earlier.edits[n], edit);
    if (!merged) return null;
    edits.push(merged);
  }
  return { ...later, name: mergedName(earlier.name, later.name), edits };
}

/** “delay 12.0 → 12.1 ms” and “delay 12.1 → 12.2 ms” are “delay 12.0 → 12.2 ms”. */
function mergedName(earlier: string, later: string): string {
  const [from, to] = [earlier.indexOf('→'), later.indexOf('→')];
  return from < 0 || to < 0 ? later : earlier.slice(0, from) + later.slice(to);
}
