// A PostgreSQL cluster for the server's tests; needs the launcher built (./pannet test sees to that).
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { startCluster } from '@pannet/launcher/postgres';

export default async function setUp() {
  const folder = mkdtempSync(join(tmpdir(), 'pannet-server-'));
  chmodSync(folder, 0o755);
  const cluster = await startCluster(folder, ['fsync=off']);
  process.env.DATABASE_URL = await cluster.database('server_tests');
  globalThis.pannetTearDown = async () => {
    await cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  };
}
