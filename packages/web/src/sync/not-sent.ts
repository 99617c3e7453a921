import type { Command } from '@pannet/core/song/commands';
import { Refused, ServerLost } from '../api/request.ts';

/** Why steps were not taken, and so what can be done. */
export type NotSent =
  /** It passes: they are sent again after a while. */
  | {
      readonly kind: 'again';
      readonly afterMs: number;
      /** It may be the steps that it fails because of. */
      readonly failing: boolean;
      /** What the server says; null where it says nothing. */
      readonly because: string | null;
    }
  /** Fewer at once may be taken. */
  | { readonly kind: 'fewer' }
  /** The song was changed in another window; these of the steps it has. */
  | { readonly kind: 'elsewhere'; readonly known: readonly string[] }
  | { readonly kind: 'signed-out' }
  /** It does not pass. The step that cannot be taken, where one can be named. */
  | { readonly kind: 'refused'; readonly sentence: string; readonly commandId: string | null };

const retryMs = 1000;

/** @throws what is no failure of sending */
export function whyNotSent(error: unknown, batch: readonly Command[]): NotSent {
  if (error instanceof ServerLost)
    return { kind: 'again', afterMs: error.retryMs ?? retryMs, failing: false, because: null };
  if (!(error instanceof Refused)) throw error;
  const { status, document, message } = error;
  const again = (afterMs: number, failing = false) =>
    ({ kind: 'again', afterMs, failing, because: message }) as const;
  if (status === 401) return { kind: 'signed-out' };
  if (status === 408 || status === 429) return again(error.retryMs ?? retryMs);
  if (status === 413 && batch.length > 1) return { kind: 'fewer' };
  if (status === 409 && error.failure.code === 'other-revision') {
    const { known } = document;
    return {
      kind: 'elsewhere',
      known: Array.isArray(known) ? known.filter((id) => typeof id === 'string') : [],
    };
  }
  if (status >= 500 && status !== 507) return again(retryMs, true);
  // A full disk passes, when somebody makes room.
  if (status === 507) return again(10 * retryMs);
  // Of a song that is gone, or not one's own, no step is at fault.
  const commandId = status === 403 || status === 404 ? null : namedCommand(document, batch);
  return { kind: 'refused', sentence: message, commandId };
}

function namedCommand(
  { commandId, place }: Readonly<Record<string, unknown>>,
  batch: readonly Command[],
): string | null {
  if (typeof commandId === 'string')
    return batch.find(({ id }) => id.toLowerCase() === commandId.toLowerCase())?.id ?? null;
  const at = typeof place === 'string' ? /^commands\[(\d+)\]/.exec(place) : null;
  return (at && batch[Number(at[1])]?.id) ?? (batch.length === 1 ? batch[0].id : null);
}
