import { once } from 'node:events';
import type { Writable } from 'node:stream';

/**
 * Writes pieces one after the other, each when the one before has gone. A reader that takes nothing for so long is let go; in
 * the meantime it holds one piece, and no connection to the database.
 */
export async function sendPieces(
  pieces: AsyncIterable<Uint8Array>,
  target: Writable,
  patienceMs: number,
): Promise<void> {
  for await (const piece of pieces) {
    if (target.destroyed) return;
    if (target.write(piece)) continue;
    const stop = new AbortController();
    const late = setTimeout(() => target.destroy(), patienceMs);
    try {
      await Promise.race([
        once(target, 'drain', { signal: stop.signal }),
        once(target, 'close', { signal: stop.signal }),
      ]);
    } finally {
      stop.abort();
      clearTimeout(late);
    }
  }
  if (!target.destroyed) target.end();
}
