import type { Command, LoggedCommand } from './commands.ts';

/** What can be undone and redone, newest last; computed from the log, so it survives a reload. */
export interface History {
  readonly undo: readonly LoggedCommand[];
  readonly redo: readonly LoggedCommand[];
}

export const emptyHistory: History = { undo: [], redo: [] };

/** An undone step moves to `redo` as the undo that took it back; doing something new empties `redo`. */
export function record(history: History, command: LoggedCommand): History {
  switch (command.role) {
    case 'do':
      return { undo: [...history.undo, command], redo: [] };
    case 'undo':
      return { undo: history.undo.slice(0, -1), redo: [...history.redo, command] };
    case 'redo':
      return { undo: [...history.undo, command], redo: history.redo.slice(0, -1) };
  }
}

export function replay(log: readonly LoggedCommand[]): History {
  return log.reduce(record, emptyHistory);
}

/** The command that takes back the newest step, or nothing. */
export function undoCommand(history: History, id: string): Command | undefined {
  const step = history.undo.at(-1);
  return step && { id, name: step.name, role: 'undo', edits: step.inverse };
}

export function redoCommand(history: History, id: string): Command | undefined {
  const step = history.redo.at(-1);
  return step && { id, name: step.name, role: 'redo', edits: step.inverse };
}
