import type { Command } from '@pannet/core/song/commands';

/** The server takes five megabytes and two hundred steps in one request; so much of it is used. */
const mostBatchBytes = 3_500_000;
const mostBatchSteps = 100;
/** A step that is larger could never be sent. */
export const mostStepBytes = 4_500_000;

/** At least as many bytes as a step has in a request; exact but for what is no ASCII, which is counted threefold. */
export function jsonBytes({ id, name, role, edits }: Command): number {
  const text = JSON.stringify({ id, name, role, edits });
  let bytes = text.length;
  for (let n = 0; n < text.length; n++) if (text.charCodeAt(n) > 127) bytes += 2;
  return bytes;
}

/** Steps in as few batches as the server takes. @param most steps of a batch */
export function* inBatches<Step extends Command>(
  steps: readonly Step[],
  most = Infinity,
): Generator<readonly Step[]> {
  let batch: Step[] = [];
  let bytes = 0;
  for (const step of steps) {
    const more = jsonBytes(step);
    const full = batch.length >= Math.min(most, mostBatchSteps) || bytes + more > mostBatchBytes;
    if (batch.length > 0 && full) {
      yield batch;
      batch = [];
      bytes = 0;
    }
    batch.push(step);
    bytes += more;
  }
  if (batch.length > 0) yield batch;
}
