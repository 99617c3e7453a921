import { spawn, type SpawnOptions } from 'node:child_process';

export interface Ended {
  readonly code: number | null;
  readonly printed: string;
}

/** Runs a program to its end, or until it is stopped. */
export function runToEnd(
  program: string,
  words: readonly string[],
  options: SpawnOptions,
  signal?: AbortSignal,
): Promise<Ended> {
  return new Promise((resolve, reject) => {
    const child = spawn(program, words, options);
    let printed = '';
    const listen = (data: Buffer) => (printed = (printed + data.toString()).slice(-4000));
    child.stdout?.on('data', listen);
    child.stderr?.on('data', listen);
    const stop = () => child.kill('SIGTERM');
    if (signal?.aborted) stop();
    signal?.addEventListener('abort', stop, { once: true });
    child.once('error', (error) => resolve({ code: null, printed: error.message }));
    child.once('close', (code) => {
      signal?.removeEventListener('abort', stop);
      if (signal?.aborted) reject(new Stopped());
      else resolve({ code, printed: printed.trim() });
    });
  });
}

/** The one who started it does not want it any more. */
export class Stopped extends Error {}
