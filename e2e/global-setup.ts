import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { freePort, startCluster } from '@pannet/launcher/postgres';
import { startServerProcess, stopServerProcess } from '@pannet/launcher/server-process';

/** Each kind runs beside the other (`playwright.config.ts`). */
const journeyKinds = ['listening', 'working'] as const;

/** A cluster of its own for the journeys, and for each kind of them a server with the demo song, which counts the requests of one browser; gone when they are done. */
export default async function setUp(): Promise<() => Promise<void>> {
  const folder = mkdtempSync(join(tmpdir(), 'pannet-e2e-'));
  // PostgreSQL may run as another user, who must find its way in.
  chmodSync(folder, 0o755);
  const cluster = await startCluster(folder, ['fsync=off']);
  const servers: Awaited<ReturnType<typeof startServerProcess>>[] = [];
  for (const kind of journeyKinds) {
    const databaseUrl = await cluster.database(kind === 'working' ? 'demo' : `demo_${kind}`);
    const port = await freePort();
    servers.push(await startServerProcess({ databaseUrl, port, demo: true }));
    process.env[`E2E_URL_${kind}`] = `http://127.0.0.1:${port}`;
    // Journeys that look into the database are of the kind that works.
    if (kind === 'working') process.env.E2E_DATABASE = databaseUrl;
  }
  return async () => {
    for (const server of servers) await stopServerProcess(server);
    await cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  };
}
