import { Readable, type Writable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { pipeline } from 'node:stream/promises';
import { Injectable } from '@nestjs/common';
import type { ByteSource } from '@pannet/core/formats/byte-source';
import { readWavLayout } from '@pannet/core/formats/wav-read';
import type { Recording } from '@pannet/core/song/song';
import { readFacts } from '@pannet/core/sources/wav-blocks';
import { LRUCache } from 'lru-cache';
import pLimit from 'p-limit';
import type pg from 'pg';
import { from as copyFrom, to as copyTo } from 'pg-copy-streams';
import { DataSource, type EntityManager, In } from 'typeorm';
import { ownerOf, type Visitor } from '../accounts/visitor.ts';
import { Configuration } from '../configuration/configuration.ts';
import { ReadingPool, StoringPool } from '../database/pools.ts';
import { Problem } from '../problems/problem.ts';
import { SongAccess } from '../accounts/song-access.ts';
import { chunkBytes, ChunkRows, ColumnBytes } from './copy-binary.ts';
import { RecordingEntity, type DescribedLayout } from './recording.entity.ts';
import { sendPieces } from './send.ts';
import { Spool, type Spooled } from './spool.ts';

/** Bytes from `start` up to `end` (exclusive). */
export interface ByteRange {
  readonly recording: Pick<RecordingEntity, 'id'>;
  readonly start: number;
  readonly end: number;
}

/** So much of a recording is in memory at once for one reader: large enough to stream fast. */
const pieceBytes = 8 * chunkBytes;

/** So long a recording is believed to be there: one that was purged meanwhile is missed soon. */
const rememberedMs = 10_000;

/** @throws Problem 422 with the reader's sentence for what cannot be read */
async function describe(source: ByteSource, fileName: string): Promise<DescribedLayout> {
  const layout = await readWavLayout(source, fileName);
  if (!layout.ok) throw new Problem(422, layout.error);
  return { ...layout.value, facts: await readFacts(source, layout.value) };
}

@Injectable()
export class RecordingsService {
  readonly #data: DataSource;
  readonly #storing: StoringPool;
  readonly #reading: ReadingPool;
  readonly #spool: Spool;
  readonly #access: SongAccess;
  readonly #patienceMs: number;
  /** Looking into files is computing: of many that are whole at once, two are looked into, so that others are answered. */
  readonly #inTurn = pLimit(2);
  /** A recording never changes as long as it is kept, and a listening browser asks for it dozens of times a second. */
  readonly #found = new LRUCache<string, RecordingEntity>({ max: 4096, ttl: rememberedMs });

  constructor(
    data: DataSource,
    storing: StoringPool,
    reading: ReadingPool,
    spool: Spool,
    access: SongAccess,
    { patienceMs }: Configuration,
  ) {
    this.#data = data;
    this.#storing = storing;
    this.#reading = reading;
    this.#spool = spool;
    this.#access = access;
    this.#patienceMs = patienceMs;
    // A database that went away may come back as another one: from a backup.
    reading.on('error', () => this.#found.clear());
    storing.on('error', () => this.#found.clear());
  }

  /** The recording, if it is kept and the one who asks may hear it. */
  async find(visitor: Visitor, hash: string): Promise<RecordingEntity | null> {
    return (await this.findAll(visitor, [hash])).get(hash) ?? null;
  }

  /** Of these, those that are kept and may be heard. */
  async findAll(
    visitor: Visitor,
    hashes: readonly string[],
  ): Promise<Map<string, RecordingEntity>> {
    const asked = hashes.filter((hash) => /^[0-9a-f]{64}$/.test(hash));
    const kept = new Map(
      asked.flatMap((hash) => {
        const recording = this.#found.get(hash);
        return recording ? [[hash, recording] as const] : [];
      }),
    );
    const unknown = asked.filter((hash) => !kept.has(hash));
    if (unknown.length > 0) {
      const found = await this.#data.getRepository(RecordingEntity).findBy({ hash: In(unknown) });
      for (const recording of found) {
        this.#found.set(recording.hash, recording);
        kept.set(recording.hash, recording);
      }
    }
    const audible = await this.#access.audible(visitor, [...kept.keys()]);
    for (const hash of kept.keys()) if (!audible.has(hash)) kept.delete(hash);
    return kept;
  }

  /** Believes of no recording any more that it is there. */
  forget(): void {
    this.#found.clear();
  }

  /**
   * Notes that a song needs these; they are not purged as long as it is there. They are locked first, so that no purge of any
   * process takes one away meanwhile.
   * @throws Problem 422 where one has been purged since it was found
   */
  async noteUses(manager: EntityManager, songId: string, hashes: readonly string[]): Promise<void> {
    const distinct = [...new Set(hashes)].sort();
    if (distinct.length === 0) return;
    const there = (await manager.query(
      'SELECT hash FROM recordings WHERE hash = ANY($1) ORDER BY hash FOR KEY SHARE',
      [distinct],
    )) as unknown[];
    if (there.length < distinct.length) {
      this.forget();
      throw new Problem(422, {
        code: 'unknown-recording',
        sentence:
          'A recording of this was purged meanwhile, since no song needed it. Upload it again, then repeat this.',
      });
    }
    await manager.query(
      `INSERT INTO recording_uses (song_id, hash)
       SELECT $1, unnest($2::text[]) ON CONFLICT DO NOTHING`,
      [songId, distinct],
    );
  }

  /**
   * Keeps an audio file byte for byte. Until it is whole and was found to be readable, the database knows nothing of it. A file
   * that is already kept is kept once.
   * @param announcedBytes what is said of its size; 0 if nothing is
   * @throws Problem 422 with the reader's sentence for what cannot be read
   */
  keep(visitor: Visitor, body: Readable, fileName: string, announcedBytes = 0): Promise<Recording> {
    return this.#spool.receive(body, announcedBytes, (file) =>
      this.#inTurn(async () => {
        const layout = await describe(file.source, fileName);
        await this.#store(visitor, file, layout);
        return { hash: file.hash, fileName, ...layout };
      }),
    );
  }

  /** Keeps any file byte for byte; what is in it is not looked at. */
  keepOriginal(visitor: Visitor, body: Readable, announcedBytes = 0): Promise<{ hash: string }> {
    return this.#spool.receive(body, announcedBytes, (file) =>
      this.#inTurn(async () => {
        await this.#store(visitor, file, null);
        return { hash: file.hash };
      }),
    );
  }

  /** All of it in one transaction: the recording and its bytes can be seen together, or neither. */
  async #store(visitor: Visitor, file: Spooled, layout: DescribedLayout | null): Promise<void> {
    const client = await this.#storing.connect();
    let broken: Error | undefined;
    // A connection that breaks while a stream holds it says so twice; the second time nobody else listens.
    const onError = (error: Error) => (broken = error);
    client.on('error', onError);
    try {
      await client.query('BEGIN');
      // Of two that bring the same file at once the second waits here for the first. What was only kept as an original
      // becomes a recording when it comes as one.
      const { rows } = await client.query<{ id: string; fresh: boolean }>(
        `INSERT INTO recordings (hash, bytes, layout) VALUES ($1, $2, $3)
         ON CONFLICT (hash) DO UPDATE SET asked_at = now(), layout =
           CASE WHEN recordings.layout::text = 'null' THEN EXCLUDED.layout ELSE recordings.layout END
         RETURNING id, xmax = 0 AS fresh`,
        [file.hash, file.bytes, JSON.stringify(layout)],
      );
      const [{ id, fresh }] = rows;
      if (fresh)
        await pipeline(
          file.stream(),
          new ChunkRows(BigInt(id)),
          client.query(
            copyFrom(
              'COPY recording_chunks (recording_id, index, data) FROM STDIN (FORMAT binary)',
            ),
          ),
        );
      const holder = ownerOf(visitor);
      if (holder !== null)
        await client.query(
          `INSERT INTO recording_holders (account_id, hash) VALUES ($1, $2) ON CONFLICT DO NOTHING`,
          [holder, file.hash],
        );
      await client.query('COMMIT');
      // Only now: whoever looked before this has seen what was there before.
      this.#found.delete(file.hash);
    } catch (error) {
      broken = error as Error;
      throw error;
    } finally {
      client.off('error', onError);
      // After anything that went wrong the connection is thrown away, and its transaction with it.
      client.release(broken);
      if (broken) await this.#giveBack();
    }
  }

  /** What a failed COPY took of the disk is free again when it has been swept. */
  async #giveBack(): Promise<void> {
    await this.#storing.query('VACUUM recording_chunks').catch(() => {});
  }

  /** Streams ranges of recordings into a writable, one after the other; a reader that goes away ends the read. */
  async send(ranges: readonly ByteRange[], target: NodeJS.WritableStream): Promise<void> {
    await sendPieces(this.#pieces(ranges), target as Writable, this.#patienceMs);
  }

  async *#pieces(ranges: readonly ByteRange[]): AsyncGenerator<Uint8Array> {
    for (const piece of inPieces(ranges)) yield await this.#read(piece);
  }

  /** What one piece holds, in memory; the connection is given back before it is sent. */
  async #read(ranges: readonly ByteRange[]): Promise<Uint8Array> {
    const client = await this.#reading.connect();
    let broken: Error | undefined;
    const onError = (error: Error) => (broken = error);
    client.on('error', onError);
    try {
      return await buffer(rangeStream(client, ranges));
    } catch (error) {
      broken = error as Error;
      throw error;
    } finally {
      client.off('error', onError);
      client.release(broken);
    }
  }
}

/** Ranges cut and gathered into pieces of bounded size, in their order. */
export function* inPieces(ranges: readonly ByteRange[]): Generator<readonly ByteRange[]> {
  let piece: ByteRange[] = [];
  let left = pieceBytes;
  for (const { recording, start, end } of ranges)
    for (let at = start; at < end;) {
      const stop = Math.min(end, at + left);
      piece.push({ recording, start: at, end: stop });
      left -= stop - at;
      at = stop;
      if (left > 0) continue;
      yield piece;
      piece = [];
      left = pieceBytes;
    }
  if (piece.length > 0) yield piece;
}

/**
 * The bytes of ranges, one behind the other: the chunks that hold them, the first and the last one of each cut to size in
 * the database. One statement for all is more than twice as fast as one for each.
 */
function rangeStream(client: pg.PoolClient, ranges: readonly ByteRange[]): Readable {
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
