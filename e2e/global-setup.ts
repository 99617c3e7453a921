import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { freePort, startCluster } from '@pannet/launcher/postgres';
import { startServerProcess, stopServerProcess } from '@pannet/launcher/server-process';

/** A cluster of its own for the journeys, and one server with the demo song; gone when they are done. */
export default async function setUp(): Promise<() => Promise<void>> {
  const folder = mkdtempSync(join(tmpdir(), 'pannet-e2e-'));
  // PostgreSQL may run as another user, who must find its way in.
  chmodSync(folder, 0o755);
  const cluster = await startCluster(folder, ['fsync=off']);
  const demoUrl = await cluster.database('demo');
  const port = await freePort();
  const server = await startServerProcess({ databaseUrl: demoUrl, port, demo: true });
  process.env.E2E_URL = `http://127.0.0.1:${port}`;
  process.env.E2E_DATABASE = demoUrl;
  process.env.E2E_ADMIN = cluster.adminUrl('postgres');
  return async () => {
    await stopServerProcess(server);
    await cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  };
}
