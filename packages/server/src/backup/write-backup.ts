import { createWriteStream } from 'node:fs';
import { open } from 'node:fs/promises';
import { type Readable, Writable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import pg from 'pg';
import { to as copyTo } from 'pg-copy-streams';
import { pack, type Pack } from 'tar-stream';
import { ColumnBytes } from '../recordings/copy-binary.ts';
import { BackupError } from './backup-error.ts';
import { Counting } from './counting.ts';
import {
  archiveVersion,
  type Manifest,
  manifestName,
  type Piece,
  recordingPiece,
  type TableOfBackup,
  tablePiece,
} from './manifest.ts';
import { backedUpTables, columnsOf, quoted } from './tables.ts';

/** What a backup holds. */
export interface BackupContents {
  readonly songs: number;
  readonly recordings: number;
  readonly bytes: number;
}

interface KeptRecording {
  readonly id: string;
  readonly hash: string;
  readonly bytes: number;
}

/**
 * Writes all songs and recordings of a database, as they are at one moment, into a new file of mode 0600.
 * Tables are read twice, since an entry of the archive begins with its size and its hash stands in the manifest before it.
 * @param say told now and then how far it is
 * @throws BackupError for a database that is none of Pannet, and for a recording that is damaged
 */
export async function writeBackup(
  databaseUrl: string,
  file: string,
  application: string,
  say: (line: string) => void,
): Promise<BackupContents> {
  const client = new pg.Client({ connectionString: databaseUrl });
  client.on('error', () => {});
  await client.connect();
  try {
    // One snapshot for all of it: what is written meanwhile is not in it, in no table.
    await client.query('BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY');
    await client.query(`SET LOCAL datestyle = 'ISO'; SET LOCAL timezone = 'UTC'`);
    const migrations = await migrationsOf(client);
    const tables: TableOfBackup[] = [];
    const pieces: Piece[] = [];
    for (const { name } of backedUpTables) {
      const columns = await columnsOf(client, name);
      const counting = new Counting();
      await pipeline(rowsOf(client, name, columns), counting, nowhere());
      tables.push({ name, columns, rows: counting.lines });
      const { bytes } = counting;
      pieces.push({ name: tablePiece(name), bytes, sha256: counting.sha256() });
    }
    const recordings = await recordingsOf(client);
    for (const { hash, bytes } of recordings)
      pieces.push({ name: recordingPiece(hash), bytes, sha256: hash });
    const manifest: Manifest = {
      format: 'pannet-backup',
      archiveVersion,
      application,
      createdAt: new Date().toISOString(),
      migrations,
      tables,
      pieces,
    };
    await writeArchive(client, file, manifest, recordings, say);
    await client.query('COMMIT');
    return {
      songs: tables.find(({ name }) => name === 'songs')?.rows ?? 0,
      recordings: recordings.length,
      bytes: pieces.reduce((sum, { bytes }) => sum + bytes, 0),
    };
  } finally {
    await client.end().catch(() => {});
  }
}

async function migrationsOf(client: pg.Client): Promise<string[]> {
  if ((await columnsOf(client, 'migrations')).length === 0)
    throw new BackupError('This database is none of Pannet’s: there is nothing to back up.');
  const { rows } = await client.query<{ name: string }>('SELECT name FROM migrations ORDER BY id');
  return rows.map(({ name }) => name);
}

async function recordingsOf(client: pg.Client): Promise<KeptRecording[]> {
  const { rows } = await client.query<{ id: string; hash: string; bytes: string }>(
    'SELECT id, hash, bytes FROM recordings ORDER BY id',
  );
  return rows.map(({ id, hash, bytes }) => ({ id, hash, bytes: Number(bytes) }));
}

function rowsOf(client: pg.Client, table: string, columns: readonly string[]): Readable {
  const order = backedUpTables.find(({ name }) => name === table)?.orderBy;
  return client.query(
    copyTo(
      `COPY (SELECT ${columns.map(quoted).join(', ')} FROM ${quoted(table)} ORDER BY ${order}) TO STDOUT`,
    ),
  );
}

async function writeArchive(
  client: pg.Client,
  file: string,
  manifest: Manifest,
  recordings: readonly KeptRecording[],
  say: (line: string) => void,
): Promise<void> {
  const archive = pack();
  const output = createWriteStream(file, { flags: 'wx', mode: 0o600 });
  const written = pipeline(archive, output);
  let diskError: unknown;
  written.catch((error: unknown) => (diskError ??= output.errored ?? error));
  const total = manifest.pieces.reduce((sum, { bytes }) => sum + bytes, 0);
  const tell = setInterval(
    () => say(`${megabytes(output.bytesWritten)} of ${megabytes(total)} written …`),
    3000,
  );
  try {
    const text = Buffer.from(JSON.stringify(manifest));
    archive.entry({ name: manifestName, mode: 0o600 }, text);
    const pieces = new Map(manifest.pieces.map((piece) => [piece.name, piece]));
    const add = async (name: string, bytes: Readable) => {
      const piece = pieces.get(name);
      if (!piece) throw new Error(`${name} is not in the manifest.`);
      await addPiece(archive, piece, bytes);
    };
    for (const { name, columns } of manifest.tables)
      await add(tablePiece(name), rowsOf(client, name, columns));
    for (const { id, hash } of recordings) await add(recordingPiece(hash), bytesOf(client, id));
    archive.finalize();
    await written;
  } catch (error) {
    archive.destroy();
    await written.catch(() => {});
    throw output.errored ? diskError : error;
  } finally {
    clearInterval(tell);
  }
  await flushed(file);
}

async function addPiece(
  archive: Pack,
  { name, bytes, sha256 }: Piece,
  source: Readable,
): Promise<void> {
  const counting = new Counting();
  const damaged = () => new BackupError(`“${name}” is damaged in the database.`);
  try {
    await pipeline(source, counting, archive.entry({ name, size: bytes, mode: 0o600 }));
  } catch (error) {
    throw /Size mismatch/.test((error as Error).message) ? damaged() : error;
  }
  if (counting.bytes !== bytes || counting.sha256() !== sha256) throw damaged();
}

function bytesOf(client: pg.Client, recordingId: string): Readable {
  const copy = client.query(
    copyTo(
      `COPY (SELECT data FROM recording_chunks WHERE recording_id = ${BigInt(recordingId)} ORDER BY index) TO STDOUT (FORMAT binary)`,
    ),
  );
  const bytes = new ColumnBytes();
  copy.on('error', (error) => bytes.destroy(error));
  return copy.pipe(bytes);
}

/** On the disk, not only on its way there. */
async function flushed(file: string): Promise<void> {
  const handle = await open(file, 'r+');
  try {
    await handle.sync();
  } finally {
    await handle.close();
  }
}

function nowhere(): Writable {
  return new Writable({ write: (_, __, done) => done() });
}

export function megabytes(bytes: number): string {
  return `${(bytes / 1e6).toFixed(1)} MB`;
}
