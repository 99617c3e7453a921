import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { Stopped } from './child.ts';
import { Complaint, repository } from './repository.ts';

export interface ServerOptions {
  readonly databaseUrl: string;
  readonly port: number;
  readonly demo: boolean;
  /** Address to listen on; loopback if left out. */
  readonly host?: string;
  /** Further configuration of the server, by the names of its environment. */
  readonly environment?: Readonly<Record<string, string>>;
  /** Told each line the server prints. */
  readonly say?: (line: string) => void;
  readonly signal?: AbortSignal;
}

/** Starts the built server and waits until it answers. Rejects with what it printed if it ends first. */
export async function startServerProcess(options: ServerOptions): Promise<ChildProcess> {
  const { host = '127.0.0.1', signal } = options;
  const server = spawn('node', [join(repository, 'packages/server/dist/main.js')], {
    env: {
      ...process.env,
      NODE_OPTIONS: '',
      DATABASE_URL: options.databaseUrl,
      PORT: String(options.port),
      PANNET_HOST: host,
      PANNET_WEB: join(repository, 'packages/web/dist'),
      PANNET_DEMO: options.demo ? 'on' : 'off',
      PANNET_PARENT: String(process.pid),
      ...options.environment,
    },
    stdio: ['ignore', 'pipe', 'pipe'],
    // Stopped by us, in order, not by the terminal.
    detached: true,
  });
  let printed = '';
  const listen = (data: Buffer) => {
    printed = (printed + data.toString()).slice(-4000);
    for (const line of data.toString().split('\n')) if (line) options.say?.(line);
  };
  server.stdout.on('data', listen);
  server.stderr.on('data', listen);
  while (server.exitCode === null && server.signalCode === null) {
    if (signal?.aborted) {
      await stopServerProcess(server);
      throw new Stopped();
    }
    const health = await fetch(`${baseOf(host, options.port)}/api/health`).catch(() => null);
    if (health?.ok && printed.includes('Pannet listens')) return server;
    await wait(50);
  }
  throw new Complaint(printed.trim() || 'The server ended without a word.');
}

/** Where this machine reaches a server that listens on an address. */
export function baseOf(host: string, port: number): string {
  const everywhere = { '0.0.0.0': '127.0.0.1', '::': '::1' }[host];
  const name = everywhere ?? host;
  return `http://${name.includes(':') ? `[${name}]` : name}:${port}`;
}

export async function stopServerProcess(
  server: ChildProcess,
  signal: 'SIGTERM' | 'SIGKILL' = 'SIGTERM',
): Promise<void> {
  if (server.exitCode !== null || server.signalCode !== null) return;
  const ended = once(server, 'exit');
  server.kill(signal);
  const late = setTimeout(() => server.kill('SIGKILL'), 5000);
  await ended;
  clearTimeout(late);
}

/**
 * Runs the server's program for maintenance to its end, on a database. The password goes by its environment.
 * @returns its exit code
 */
export function maintenance(
  words: readonly string[],
  databaseUrl: string,
  { signal, pgRestore }: { readonly signal: AbortSignal; readonly pgRestore?: string },
): Promise<number> {
  return new Promise((done, reject) => {
    const child = spawn(
      'node',
      [join(repository, 'packages/server/dist/maintenance.js'), ...words],
      {
        env: {
          ...process.env,
          NODE_OPTIONS: '',
          DATABASE_URL: databaseUrl,
          PANNET_PARENT: String(process.pid),
          ...(pgRestore ? { PANNET_PG_RESTORE: pgRestore } : {}),
        },
        stdio: 'inherit',
      },
    );
    const stop = () => child.kill('SIGTERM');
    if (signal.aborted) stop();
    signal.addEventListener('abort', stop, { once: true });
    child.once('close', (code) => {
      signal.removeEventListener('abort', stop);
      if (signal.aborted) reject(new Stopped());
      else done(code ?? 1);
    });
    child.once('error', () => done(1));
  });
}
