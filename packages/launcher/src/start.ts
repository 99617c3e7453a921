import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { dataFolder } from './data-folder.ts';
import { install, postgresNeed } from './debian.ts';
import { startCluster, type Cluster } from './postgres.ts';
import { Complaint, repository } from './repository.ts';
import { startServerProcess, stopServerProcess } from './server-process.ts';
import { buildWeb } from './web-build.ts';

const usualPort = 4870;

/** `./pannet start` and `./pannet dev`: everything up, the address printed, everything down again on Ctrl-C. */
export async function start(words: string[], hot: boolean): Promise<number> {
  const { values } = parseArgs({
    args: words,
    options: { port: { type: 'string' }, data: { type: 'string' } },
  });
  const port = Number(values.port ?? process.env.PORT ?? usualPort);
  if (!Number.isInteger(port) || port < 1 || port > 65_535)
    throw new Complaint(`The port must be a whole number from 1 to 65535; it was ${values.port}.`);
  if (!(await isFree(port)))
    throw new Complaint(
      `Port ${port} on 127.0.0.1 is taken. Choose another: ./pannet start --port ${port + 1}`,
    );

  const stopped = stopSignal();
  let cluster: Cluster | undefined;
  if (!process.env.DATABASE_URL) {
    install([postgresNeed]);
    cluster = await startCluster(dataFolder(values.data));
  }
  try {
    const databaseUrl = process.env.DATABASE_URL ?? ((await cluster?.database('pannet')) as string);
    if (!hot) buildWeb();
    const apiPort = hot ? port + 1 : port;
    const say = (line: string) => {
      if (!line.startsWith('Pannet listens')) console.log(line);
    };
    const server = await startServerProcess({ databaseUrl, port: apiPort, demo: true, say });
    const vite = hot ? startVite(port, apiPort) : undefined;
    console.log(`Pannet is at http://127.0.0.1:${port}/   (Ctrl-C stops it)`);
    const crashed = once(server, 'exit').then(() => 'crashed' as const);
    const end = await Promise.race([stopped, crashed]);
    vite?.kill();
    if (end === 'crashed')
      throw new Complaint('The server ended by itself; the lines above say why.');
    await stopServerProcess(server);
    return 0;
  } finally {
    await cluster?.stop();
  }
}

function startVite(port: number, apiPort: number) {
  return spawn(
    'node',
    [
      join(repository, 'node_modules/vite/bin/vite.js'),
      '--port',
      String(port),
      '--host',
      '127.0.0.1',
      '--strictPort',
    ],
    {
      cwd: join(repository, 'packages/web'),
      env: { ...process.env, PANNET_API: `http://127.0.0.1:${apiPort}` },
      stdio: ['ignore', 'inherit', 'inherit'],
    },
  );
}

function stopSignal(): Promise<'stopped'> {
  return new Promise((resolve) => {
    process.once('SIGINT', () => resolve('stopped'));
    process.once('SIGTERM', () => resolve('stopped'));
  });
}

function isFree(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const probe = createServer();
    probe.once('error', () => resolve(false));
    probe.listen(port, '127.0.0.1', () => probe.close(() => resolve(true)));
  });
}
