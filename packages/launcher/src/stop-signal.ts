/**
 * Told once the one who started it wants it to end: Ctrl-C, a kill, a closed terminal. From then on signals end nothing by
 * themselves; what was begun is taken down in order.
 */
export function stopSignal(): AbortSignal {
  const stop = new AbortController();
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const)
    process.on(signal, () => stop.abort());
  // A terminal that is gone takes no more lines.
  for (const stream of [process.stdout, process.stderr]) stream.on('error', () => stop.abort());
  return stop.signal;
}
