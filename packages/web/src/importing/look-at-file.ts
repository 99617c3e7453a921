import type { Outcome } from '@pannet/core/outcome';
import type { Recording } from '@pannet/core/song/song';
import { ask, question } from '../workers/ask.ts';
import type { Playable } from './import-files.ts';

export interface Looking extends Playable {
  /** As it came. */
  readonly file: File;
}

const looker = question<Looking, Outcome<Recording>>(
  () => new Worker(new URL('./look.worker.ts', import.meta.url), { type: 'module' }),
);

/** Describes a file as the server will, in a worker of its own; rejects with an AbortError when stopped. */
export function lookAtFile(
  looking: Looking,
  signal: AbortSignal,
  progress: (share: number) => void,
): Promise<Outcome<Recording>> {
  return ask(looker, looking, { signal, progress });
}
