import type { IncomingMessage, Server, ServerResponse } from 'node:http';
import type { Socket } from 'node:net';

/** How many connections there may be, and how long one may be silent at first. */
export interface ConnectionShares {
  readonly total: number;
  /** From one address; a trusted proxy may have all. */
  readonly perAddress: number;
  /** Until the first request has come whole but for its body, in ms. */
  readonly firstRequestMs: number;
  readonly isTrusted: (address: string) => boolean;
}

interface Open {
  readonly address: string;
  /** Requests that are being answered. */
  requestCount: number;
  /** Since when nothing is asked on it, in ms. */
  idleSinceMs: number;
  readonly silent: ReturnType<typeof setTimeout>;
}

/**
 * Keeps connections that ask nothing from shutting others out: a silent one ends within seconds, and where an address or the
 * server has as many as it may, a new one takes the place of whichever has asked nothing for longest.
 */
export function shareConnections(server: Server, shares: ConnectionShares): void {
  const all = new Map<Socket, Open>();
  const counts = new Map<string, number>();

  const makeRoom = (address: string | null) => {
    let longest: Socket | null = null;
    let since = Infinity;
    for (const [socket, open] of all) {
      if (open.requestCount > 0 || (address !== null && open.address !== address)) continue;
      if (open.idleSinceMs >= since) continue;
      longest = socket;
      since = open.idleSinceMs;
    }
    longest?.destroy();
    return longest !== null;
  };

  server.on('connection', (socket: Socket) => {
    const address = socket.remoteAddress ?? '';
    const most = shares.isTrusted(address) ? shares.total : shares.perAddress;
    const isFull =
      ((counts.get(address) ?? 0) >= most && !makeRoom(address)) ||
      (all.size >= shares.total && !makeRoom(null));
    if (isFull) {
      socket.destroy();
      return;
    }
    const silent = setTimeout(() => socket.destroy(), shares.firstRequestMs);
    all.set(socket, { address, requestCount: 0, idleSinceMs: performance.now(), silent });
    counts.set(address, (counts.get(address) ?? 0) + 1);
    socket.once('close', () => {
      clearTimeout(silent);
      all.delete(socket);
      const left = (counts.get(address) ?? 1) - 1;
      if (left > 0) counts.set(address, left);
      else counts.delete(address);
    });
  });

  server.prependListener('request', ({ socket }: IncomingMessage, response: ServerResponse) => {
    const open = all.get(socket);
    if (!open) return;
    clearTimeout(open.silent);
    open.requestCount++;
    response.once('close', () => {
      open.requestCount--;
      open.idleSinceMs = performance.now();
    });
  });
}
