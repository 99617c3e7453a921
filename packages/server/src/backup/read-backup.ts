import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { open } from 'node:fs/promises';
import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { pipeline } from 'node:stream/promises';
import pg from 'pg';
import { from as copyFrom, to as copyTo } from 'pg-copy-streams';
import { extract, type Extract } from 'tar-stream';
import { databaseOptions, migrationNames } from '../database/data-source.ts';
import { connectAndMigrate } from '../database/migrate.ts';
import { ChunkRows, ColumnBytes } from '../recordings/copy-binary.ts';
import { BackupError } from './backup-error.ts';
import { Counting } from './counting.ts';
import {
  knownMigrationCount,
  type Manifest,
  manifestName,
  type Piece,
  readManifest,
  recordingOf,
  tablePiece,
} from './manifest.ts';
import { dumpSignature, tablesOfDump } from './old-dump.ts';
import { backedUpTables, columnsOf, quoted } from './tables.ts';
import { type BackupContents, megabytes } from './write-backup.ts';

/** A file of the archive, as it is read. */
type Entry = Extract extends AsyncIterable<infer Each> ? Each : never;

const maxManifestBytes = 256 * 1_048_576;
const tarSignature = 'ustar';
const tarSignatureAt = 257;

/**
 * Reads a backup into an empty database: builds the tables by our own migrations, loads rows and audio into them and nothing
 * else, and checks counts and hashes. All rows come in one transaction.
 * @param databaseUrl of an ordinary role; the database has no tables yet
 * @throws BackupError that says why the file cannot be restored
 */
export async function readBackup(
  databaseUrl: string,
  file: string,
  say: (line: string) => void,
): Promise<BackupContents> {
  const kind = await kindOf(file);
  await demandEmpty(databaseUrl);
  const contents =
    kind === 'archive'
      ? await readArchive(databaseUrl, file, say)
      : await readOldDump(databaseUrl, file, say);
  // Whatever came after the backup's version.
  await (await connectAndMigrate(databaseUrl, databaseOptions(databaseUrl))).destroy();
  return contents;
}

async function kindOf(file: string): Promise<'archive' | 'dump'> {
  const head = Buffer.alloc(512);
  const handle = await open(file).catch((error: unknown) => {
    throw new BackupError(`It cannot be read (${(error as { code?: string }).code}).`);
  });
  try {
    await handle.read(head, 0, head.length, 0);
  } catch (error) {
    throw new BackupError(`It cannot be read (${(error as { code?: string }).code}).`);
  } finally {
    await handle.close();
  }
  if (head.toString('latin1', 0, dumpSignature.length) === dumpSignature) return 'dump';
  const signature = head.toString('latin1', tarSignatureAt, tarSignatureAt + tarSignature.length);
  if (signature === tarSignature) return 'archive';
  throw new BackupError('It is no backup that “./pannet backup” wrote.');
}

async function demandEmpty(databaseUrl: string): Promise<void> {
  await withClient(databaseUrl, async (client) => {
    const { rowCount } = await client.query(
      `SELECT 1 FROM information_schema.tables WHERE table_schema = 'public'`,
    );
    if (rowCount)
      throw new BackupError(
        'A backup is restored into an empty database, and this one has tables. Make a new one, restore into it, and name it in DATABASE_URL.',
      );
  });
}

async function withClient<Result>(
  databaseUrl: string,
  work: (client: pg.Client) => Promise<Result>,
): Promise<Result> {
  const client = new pg.Client({ connectionString: databaseUrl });
  client.on('error', () => {});
  await client.connect();
  try {
    return await work(client);
  } finally {
    await client.end().catch(() => {});
  }
}

/** Builds the tables as a backup had them, and loads them in one transaction. */
async function load(
  databaseUrl: string,
  migrations: readonly string[],
  rows: (client: pg.Client) => Promise<BackupContents>,
): Promise<BackupContents> {
  const count = knownMigrationCount(migrations, migrationNames);
  await (await connectAndMigrate(databaseUrl, databaseOptions(databaseUrl, count))).destroy();
  return withClient(databaseUrl, async (client) => {
    await client.query('BEGIN');
    try {
      const contents = await rows(client);
      await client.query(
        `SELECT setval('recordings_id_seq', greatest(max(id), 1)) FROM recordings`,
      );
      await client.query('COMMIT');
      return contents;
    } catch (error) {
      throw sentenced(error);
    }
  });
}

/** PostgreSQL's own words for rows that do not fit their table. Source: PostgreSQL 15, appendix A, classes 22 and 23. */
function sentenced(error: unknown): unknown {
  const { code, message } = error as { code?: string; message?: string };
  if (/^(22|23|42)/.test(code ?? '')) return new BackupError(`Its rows do not fit: ${message}.`);
  if (code === '53100') return new BackupError('The disk is full.');
  return error;
}

async function readArchive(
  databaseUrl: string,
  file: string,
  say: (line: string) => void,
): Promise<BackupContents> {
  const archive = extract();
  const read = pipeline(createReadStream(file, { highWaterMark: 1_048_576 }), archive);
  read.catch(() => {});
  const entries = archive[Symbol.asyncIterator]();
  try {
    const manifest = await firstEntry(entries);
    return await load(databaseUrl, manifest.migrations, (client) =>
      loadPieces(client, manifest, entries, say),
    );
  } catch (error) {
    const { message } = error as Error;
    if (/Unexpected end of data|Invalid tar header/.test(message))
      throw new BackupError('It is damaged or not whole.');
    throw error;
  } finally {
    archive.destroy();
  }
}

async function firstEntry(entries: AsyncIterator<Entry>): Promise<Manifest> {
  const first = await entries.next();
  const isManifest = !first.done && first.value.header.name === manifestName;
  if (!isManifest || (first.value.header.size ?? 0) > maxManifestBytes)
    throw new BackupError('It is no backup that “./pannet backup” wrote.');
  return readManifest((await buffer(first.value)).toString('utf8'));
}

async function loadPieces(
  client: pg.Client,
  manifest: Manifest,
  entries: AsyncIterator<Entry>,
  say: (line: string) => void,
): Promise<BackupContents> {
  const total = manifest.pieces.reduce((sum, { bytes }) => sum + bytes, 0);
  const tables = new Map(manifest.tables.map((table) => [tablePiece(table.name), table]));
  let done = 0;
  let ids: Map<string, string> | null = null;
  const tell = setInterval(() => say(`${megabytes(done)} of ${megabytes(total)} read …`), 3000);
  try {
    for (const piece of manifest.pieces) {
      const entry = await entries.next();
      if (entry.done || entry.value.header.name !== piece.name)
        throw new BackupError(`It is not whole: “${piece.name}” is missing.`);
      const hash = recordingOf(piece.name);
      if (hash === null) {
        const table = tables.get(piece.name);
        if (!table) throw new Error(`${piece.name} has no table.`);
        await demandColumns(client, table.name, table.columns);
        await loadPiece(entry.value, piece, intoTable(client, table.name, table.columns));
      } else {
        ids ??= await idsOf(client);
        const id = ids.get(hash);
        if (id === undefined || hash !== piece.sha256)
          throw new BackupError(`“${piece.name}” belongs to no recording of it.`);
        await loadPiece(entry.value, piece, intoChunks(client, id));
        ids.delete(hash);
      }
      done += piece.bytes;
    }
  } finally {
    clearInterval(tell);
  }
  ids ??= await idsOf(client);
  const [missing] = ids.keys();
  if (missing !== undefined)
    throw new BackupError(`It is not whole: the audio of recording ${missing} is missing.`);
  for (const { name, rows } of manifest.tables) {
    const found = await countOf(client, name);
    if (found !== rows) throw new BackupError(`“${name}” has ${found} rows instead of ${rows}.`);
  }
  return { ...(await countsOf(client)), bytes: total };
}

type Load = (source: Readable, counting: Counting) => Promise<void>;

async function loadPiece(entry: Entry, piece: Piece, into: Load): Promise<void> {
  const counting = new Counting();
  await into(entry as unknown as Readable, counting);
  if (counting.bytes !== piece.bytes || counting.sha256() !== piece.sha256)
    throw new BackupError(`“${piece.name}” is damaged: its hash is another.`);
}

const intoTable =
  (client: pg.Client, table: string, columns: readonly string[]): Load =>
  (source, counting) =>
    pipeline(source, counting, client.query(copyFrom(copyInto(table, columns))));

const intoChunks =
  (client: pg.Client, recordingId: string): Load =>
  (source, counting) =>
    pipeline(
      source,
      counting,
      new ChunkRows(BigInt(recordingId)),
      client.query(
        copyFrom('COPY recording_chunks (recording_id, index, data) FROM STDIN (FORMAT binary)'),
      ),
    );

function copyInto(table: string, columns: readonly string[]): string {
  return `COPY ${quoted(table)} (${columns.map(quoted).join(', ')}) FROM STDIN`;
}

/** Only our own tables, and only columns that our migrations made. */
async function demandColumns(
  client: pg.Client,
  table: string,
  columns: readonly string[],
): Promise<void> {
  const ours = [...backedUpTables.map(({ name }) => name), 'recording_chunks'].includes(table);
  const known = ours ? await columnsOf(client, table) : [];
  const strange = columns.find((column) => !known.includes(column));
  if (!ours || strange !== undefined)
    throw new BackupError(`Its table “${table}” is none of Pannet’s.`);
}

async function idsOf(client: pg.Client): Promise<Map<string, string>> {
  const { rows } = await client.query<{ id: string; hash: string }>(
    'SELECT id, hash FROM recordings',
  );
  return new Map(rows.map(({ id, hash }) => [hash, id]));
}

async function countOf(client: pg.Client, table: string): Promise<number> {
  const { rows } = await client.query<{ count: string }>(
    `SELECT count(*) AS count FROM ${quoted(table)}`,
  );
  return Number(rows[0].count);
}

async function countsOf(client: pg.Client): Promise<{ songs: number; recordings: number }> {
  return {
    songs: await countOf(client, 'songs'),
    recordings: await countOf(client, 'recordings'),
  };
}

async function readOldDump(
  databaseUrl: string,
  file: string,
  say: (line: string) => void,
): Promise<BackupContents> {
  const migrations: string[] = [];
  for await (const { name, columns, rows } of tablesOfDump(file, 'migrations')) {
    const at = columns.indexOf('name');
    for await (const row of rows)
      if (name === 'migrations' && at >= 0)
        migrations.push(row.toString().trimEnd().split('\t')[at]);
  }
  say('Reading a backup of an earlier version …');
  return load(databaseUrl, migrations, async (client) => {
    await deferForeignKeys(client, true);
    for await (const { name, columns, rows } of tablesOfDump(file)) {
      if (['migrations', 'sessions', 'secrets'].includes(name)) {
        for await (const _ of rows);
        continue;
      }
      await demandColumns(client, name, columns);
      await pipeline(Readable.from(rows), client.query(copyFrom(copyInto(name, columns))));
    }
    await client.query('SET CONSTRAINTS ALL IMMEDIATE');
    await deferForeignKeys(client, false);
    const bytes = await checkRecordings(client);
    return { ...(await countsOf(client)), bytes };
  });
}

/** Tables of a dump come in the order of their names; whether they fit each other is looked at when all are there. */
async function deferForeignKeys(client: pg.Client, deferred: boolean): Promise<void> {
  const { rows } = await client.query<{ table: string; name: string }>(
    `SELECT conrelid::regclass::text AS table, conname AS name FROM pg_constraint
     WHERE contype = 'f' AND connamespace = 'public'::regnamespace
       AND conrelid <> 'recording_chunks'::regclass`,
  );
  for (const { table, name } of rows)
    await client.query(
      `ALTER TABLE ${table} ALTER CONSTRAINT ${quoted(name)} ${deferred ? 'DEFERRABLE INITIALLY DEFERRED' : 'NOT DEFERRABLE'}`,
    );
}

/** Recordings are named by the SHA-256 of their bytes. */
async function checkRecordings(client: pg.Client): Promise<number> {
  let bytes = 0;
  for (const [hash, id] of await idsOf(client)) {
    const digest = createHash('sha256');
    const copy = client.query(
      copyTo(
        `COPY (SELECT data FROM recording_chunks WHERE recording_id = ${BigInt(id)} ORDER BY index) TO STDOUT (FORMAT binary)`,
      ),
    );
    for await (const piece of copy.pipe(new ColumnBytes()) as AsyncIterable<Buffer>) {
      digest.update(piece);
      bytes += piece.length;
    }
    if (digest.digest('hex') !== hash)
      throw new BackupError(`The audio of recording ${hash} is damaged: its hash is another.`);
  }
  return bytes;
}
