import type { ImportOutcome, ImportStep } from './import-files.ts';
import type { Arrival } from './placing.ts';
import type { IntoPart } from './takes-into.ts';

/** Of recordings that came: told by their hashes, so that it is taken back where one cannot be sent. */
export interface QueueOutcome extends ImportOutcome {
  readonly hashes?: readonly string[];
}

export interface ImportState {
  /** Of the files that are under way, until they are sent. */
  readonly steps: readonly ImportStep[];
  /** How many have yet to begin. */
  readonly waiting: number;
  /** How many there are together since nothing was under way. */
  readonly total: number;
  /** With how many of them nothing is left to be done: sent, or not taken. */
  readonly done: number;
  readonly outcomes: readonly QueueOutcome[];
  /** What has to be asked of the engineer, with what it becomes unless another thing is chosen. */
  readonly asked: readonly Arrival[];
  /** Files of notes, which have to be played before they are takes. */
  readonly notes: readonly NotesToPlay[];
}

/** A file of notes, and the part whose takes it is to become; null for one of its own. */
export interface NotesToPlay {
  readonly file: File;
  readonly into: IntoPart | null;
}

export const nothing: ImportState = {
  steps: [],
  waiting: 0,
  total: 0,
  done: 0,
  outcomes: [],
  asked: [],
  notes: [],
};

/** Where in a file's share each of its steps begins, and how much of it that is. */
const spans = { converting: [0, 0.3], reading: [0.3, 0.2], sending: [0.5, 0.5] } as const;

/** How far all of it has come. */
export function shareOf({ steps, total, done }: ImportState): number {
  const begun = steps.reduce(
    (sum, { share, doing }) => sum + spans[doing][0] + spans[doing][1] * share,
    0,
  );
  return total === 0 ? 0 : Math.min(1, (done + begun) / total);
}
