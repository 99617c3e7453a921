import pg from 'pg';
import { DataSource, type DataSourceOptions } from 'typeorm';

/** Keys of PostgreSQL advisory locks that several servers on one database share. */
export const lockKeys = { migrating: 7_260_001, seeding: 7_260_002 } as const;

/**
 * Does `work` while no other process does work under the same key on this database.
 * The lock has a connection of its own, so it ends with the process, however that ends.
 */
export async function withDatabaseLock<Result>(
  url: string,
  key: number,
  work: () => Promise<Result>,
): Promise<Result> {
  const client = new pg.Client({ connectionString: url });
  client.on('error', () => {});
  await client.connect();
  try {
    await client.query('SELECT pg_advisory_lock($1)', [key]);
    return await work();
  } finally {
    await client.end().catch(() => {});
  }
}

/** Connects, and brings the schema to the newest of the migrations in `options`. */
export async function connectAndMigrate(
  url: string,
  options: DataSourceOptions,
): Promise<DataSource> {
  const source = await new DataSource({ ...options, migrationsRun: false }).initialize();
  try {
    await withDatabaseLock(url, lockKeys.migrating, () =>
      source.runMigrations({ transaction: 'all' }),
    );
    return source;
  } catch (error) {
    await source.destroy();
    throw error;
  }
}
