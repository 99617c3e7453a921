import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { repository } from './repository.ts';

export interface ServerOptions {
  readonly databaseUrl: string;
  readonly port: number;
  readonly demo: boolean;
  /** Told each line the server prints. */
  readonly say?: (line: string) => void;
}

/** Starts the built server and waits until it answers. Rejects with what it printed if it ends first. */
export async function startServerProcess(options: ServerOptions): Promise<ChildProcess> {
  const server = spawn('node', [join(repository, 'packages/server/dist/main.js')], {
    env: {
      ...process.env,
      NODE_OPTIONS: '',
      DATABASE_URL: options.databaseUrl,
      PORT: String(options.port),
      PANNET_WEB: join(repository, 'packages/web/dist'),
      PANNET_DEMO: options.demo ? 'on' : 'off',
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
    const health = await fetch(`http://127.0.0.1:${options.port}/api/health`).catch(() => null);
    if (health?.ok && printed.includes('Pannet listens')) return server;
    await wait(50);
  }
  throw new Error(printed.trim() || 'The server ended without a word.');
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
