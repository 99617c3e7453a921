// A PostgreSQL cluster for the server's tests; needs the launcher built (./pannet test sees to that).
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { startCluster } from '@pannet/launcher/postgres';

export default async function setUp() {
  const folder = mkdtempSync(join(tmpdir(), 'pannet-server-'));
  chmodSync(folder, 0o755);
  const cluster = await startCluster(folder, ['fsync=off']);
  // The server runs as an ordinary role, as it does for engineers; the superuser only makes databases.
  process.env.DATABASE_URL = await cluster.database('server_tests');
  process.env.PANNET_TESTS_ADMIN_URL = cluster.adminUrl('postgres');
  globalThis.pannetTearDown = async () => {
    await cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  };
}
