import { createHash } from 'node:crypto';
import { Readable, Transform } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { pipeline } from 'node:stream/promises';
import { Injectable } from '@nestjs/common';
import type { ByteSource } from '@pannet/core/formats/byte-source';
import { readWavLayout } from '@pannet/core/formats/wav-read';
import type { Recording } from '@pannet/core/song/song';
import { readFacts } from '@pannet/core/sources/wav-blocks';
import type pg from 'pg';
import { from as copyFrom, to as copyTo } from 'pg-copy-streams';
import { DataSource } from 'typeorm';
import { CopyPool } from '../database/database.module.ts';
import { Problem } from '../problems/problem.ts';
import { chunkBytes, ChunkRows, ColumnBytes } from './copy-binary.ts';
import { RecordingEntity, type DescribedLayout } from './recording.entity.ts';

/** Bytes from `start` up to `end` (exclusive). */
export interface ByteRange {
  readonly recording: RecordingEntity;
  readonly start: number;
  readonly end: number;
}

type StoredRange = Pick<ByteRange, 'start' | 'end'> & {
  readonly recording: Pick<RecordingEntity, 'id'>;
};

/** @throws Problem 422 with the reader's sentence for what cannot be read */
async function describe(source: ByteSource, fileName: string): Promise<DescribedLayout> {
  const layout = await readWavLayout(source, fileName);
  if (!layout.ok) throw new Problem(422, layout.error);
  return { ...layout.value, facts: await readFacts(source, layout.value) };
}

@Injectable()
export class RecordingsService {
  readonly #data: DataSource;
  readonly #pool: CopyPool;
  /** A recording never changes once it is kept, and a listening browser asks for it dozens of times a second. */
  readonly #found = new Map<string, RecordingEntity>();

  constructor(data: DataSource, pool: CopyPool) {
    this.#data = data;
    this.#pool = pool;
  }

  async find(hash: string): Promise<RecordingEntity | null> {
    const known = this.#found.get(hash);
    if (known) return known;
    const found = await this.#data.getRepository(RecordingEntity).findOneBy({ hash });
    if (found) this.#found.set(hash, found);
    return found;
  }

  /**
   * Keeps an audio file byte for byte, streaming. All of it happens in one transaction: until the file is whole and was
   * found to be readable, nothing of it can be seen. A file that is already kept is kept once.
   * @throws Problem 422 with the reader's sentence for what cannot be read
   */
  async keep(body: Readable, fileName: string): Promise<Recording> {
    const { hash, found } = await this.#inOneTransaction(body, (source) =>
      describe(source, fileName),
    );
    return { hash, fileName, ...found };
  }

  /** Keeps any file byte for byte, streaming; what is in it is not looked at. */
  async keepOriginal(body: Readable): Promise<{ hash: string }> {
    const { hash } = await this.#inOneTransaction(body, () => Promise.resolve(null));
    return { hash };
  }

  async #inOneTransaction<Found extends DescribedLayout | null>(
    body: Readable,
    look: (source: ByteSource) => Promise<Found>,
  ): Promise<{ hash: string; found: Found }> {
    const client = await this.#pool.connect();
    let broken: Error | undefined;
    // A connection that breaks while a stream holds it says so twice; the second time nobody else listens.
    const onError = (error: Error) => (broken = error);
    client.on('error', onError);
    try {
      await client.query('BEGIN');
      const stored = await this.#store(client, body, look);
      await client.query('COMMIT');
      return stored;
    } catch (error) {
      if (error instanceof Problem) await client.query('ROLLBACK');
      else broken = error as Error;
      throw error;
    } finally {
      client.off('error', onError);
      // After a stream that was cut off the connection is thrown away, and its transaction with it.
      client.release(broken);
    }
  }

  async #store<Found extends DescribedLayout | null>(
    client: pg.PoolClient,
    body: Readable,
    look: (source: ByteSource) => Promise<Found>,
  ): Promise<{ hash: string; found: Found }> {
    const ids = await client.query<{ id: string }>(`SELECT nextval('recordings_id_seq') AS id`);
    const id = BigInt(ids.rows[0].id);
    const digest = createHash('sha256');
    let bytes = 0;
    const measured = new Transform({
      transform(piece: Buffer, _, done) {
        digest.update(piece);
        bytes += piece.length;
        done(null, piece);
      },
    });
    const copy = client.query(
      copyFrom('COPY recording_chunks (recording_id, index, data) FROM STDIN (FORMAT binary)'),
    );
    await pipeline(body, measured, new ChunkRows(id), copy);
    const hash = digest.digest('hex');
    const source: ByteSource = {
      size: bytes,
      read: async (offset: number, length: number) =>
        new Uint8Array(
          await buffer(
            rangeStream(client, [
              {
                recording: { id: ids.rows[0].id },
                start: offset,
                end: Math.min(bytes, offset + length),
              },
            ]),
          ),
        ),
    };
    const found = await look(source);
    // What was only kept as an original becomes a recording when it comes as one.
    const kept = await client.query<{ id: string }>(
      `INSERT INTO recordings (id, hash, bytes, layout) VALUES ($1, $2, $3, $4)
       ON CONFLICT (hash) DO UPDATE SET layout = EXCLUDED.layout WHERE recordings.layout::text = 'null'
       RETURNING id`,
      [String(id), hash, bytes, JSON.stringify(found)],
    );
    if (kept.rows[0]?.id !== String(id))
      await client.query('DELETE FROM recording_chunks WHERE recording_id = $1', [String(id)]);
    this.#found.delete(hash);
    return { hash, found };
  }

  /** Streams ranges of recordings into a writable, one after the other; a reader that goes away ends the read. */
  async send(ranges: readonly ByteRange[], target: NodeJS.WritableStream): Promise<void> {
    const client = await this.#pool.connect();
    let broken: Error | undefined;
    const onError = (error: Error) => (broken = error);
    client.on('error', onError);
    try {
      await pipeline(rangeStream(client, ranges), target);
    } catch (error) {
      broken = error as Error;
      throw error;
    } finally {
      client.off('error', onError);
      client.release(broken);
    }
  }
}

/**
 * The bytes of ranges, one behind the other: the chunks that hold them, the first and the last one of each cut to size in
 * the database. One statement for all is more than twice as fast as one for each.
 */
function rangeStream(client: pg.PoolClient, ranges: readonly StoredRange[]): Readable {
  const rows: string[] = [];
  for (const { recording, start, end } of ranges)
    for (let at = start; at < end;) {
      const index = Math.floor(at / chunkBytes);
      const skip = at - index * chunkBytes;
      const count = Math.min(chunkBytes - skip, end - at);
      rows.push(`(${rows.length}, ${recording.id}::bigint, ${index}, ${skip + 1}, ${count})`);
      at += count;
    }
  if (rows.length === 0) return Readable.from([]);
  // COPY takes no parameters. All of these are whole numbers that were computed here. What is sorted are pointers to
  // chunks; OFFSET 0 keeps the planner from reading the chunks before.
  const copy = client.query(
    copyTo(
      `COPY (SELECT substring(data from skip for count) FROM (
         SELECT chunk.data, piece.skip, piece.count
         FROM (VALUES ${rows.join(',')}) AS piece (place, recording_id, index, skip, count)
         JOIN recording_chunks AS chunk USING (recording_id, index)
         ORDER BY piece.place OFFSET 0) AS pieces) TO STDOUT (FORMAT binary)`,
    ),
  );
  const bytes = new ColumnBytes();
  copy.on('error', (error) => bytes.destroy(error));
  bytes.on('close', () => {
    if (!copy.readableEnded) copy.destroy();
  });
  return copy.pipe(bytes);
}
