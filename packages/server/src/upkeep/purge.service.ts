import { setTimeout as wait } from 'node:timers/promises';
import { Injectable } from '@nestjs/common';
import { DataSource } from 'typeorm';
import { Configuration } from '../configuration/configuration.ts';
import { StoringPool } from '../database/pools.ts';
import { Disk } from '../recordings/disk.ts';
import { RecordingsService } from '../recordings/recordings.service.ts';

/** What the disk is used for, in bytes. */
export interface DiskUse {
  /** Recordings that a song, a step of its log or a fresh upload needs. */
  readonly neededBytes: number;
  /** Recordings that nothing needs any more. */
  readonly unneededBytes: number;
  /** Songs that were deleted and can be brought back. */
  readonly deletedSongs: number;
  /** The database as it lies on the disk. */
  readonly databaseBytes: number;
  readonly freeBytes: number;
  /** So long a deleted song can be brought back, in days. */
  readonly purgeDays: number;
}

export interface Purged {
  readonly songs: number;
  readonly recordings: number;
  readonly bytes: number;
  /** How much smaller the database became on the disk. */
  readonly givenBackBytes: number;
}

/** So long a recording stays that came and that no song has taken yet: an import may be under way. */
const freshHours = 24;

/** So long a purge waits for what is under way. */
const mostWaitMs = 60_000;

const unneeded = `NOT EXISTS (SELECT 1 FROM recording_uses AS uses WHERE uses.hash = recordings.hash)
  AND recordings.asked_at < now() - make_interval(hours => $1)`;

/**
 * The rule: a song that was deleted goes after some days, with its log. A recording goes when no song names it, no step of any
 * log does (so that all can be undone), and it came more than a day ago.
 */
@Injectable()
export class PurgeService {
  readonly #data: DataSource;
  readonly #disk: Disk;
  readonly #configuration: Configuration;
  readonly #recordings: RecordingsService;
  /** A table that is written anew takes as long as a large file that is stored. */
  readonly #storing: StoringPool;

  constructor(
    data: DataSource,
    storing: StoringPool,
    disk: Disk,
    configuration: Configuration,
    recordings: RecordingsService,
  ) {
    this.#data = data;
    this.#storing = storing;
    this.#recordings = recordings;
    this.#disk = disk;
    this.#configuration = configuration;
  }

  async use(): Promise<DiskUse> {
    const [row] = (await this.#data.query(
      `SELECT (SELECT coalesce(sum(bytes), 0) FROM recordings)::float8 AS kept,
              (SELECT coalesce(sum(bytes), 0) FROM recordings WHERE ${unneeded})::float8 AS unneeded,
              (SELECT count(*) FROM songs WHERE deleted_at IS NOT NULL)::int AS deleted,
              pg_database_size(current_database())::float8 AS size`,
      [freshHours],
    )) as { kept: number; unneeded: number; deleted: number; size: number }[];
    return {
      neededBytes: row.kept - row.unneeded,
      unneededBytes: row.unneeded,
      deletedSongs: row.deleted,
      databaseBytes: row.size,
      freeBytes: await this.#disk.freeBytes(),
      purgeDays: this.#configuration.purgeDays,
    };
  }

  /** Purges by the rule, and gives the space back to the disk. @param hours how long a fresh recording is waited for */
  async purge(days = this.#configuration.purgeDays, hours = freshHours): Promise<Purged> {
    const before = await this.#databaseBytes();
    const songs = (await this.#data.query(
      `WITH gone AS (DELETE FROM songs WHERE deleted_at < now() - make_interval(days => $1) RETURNING 1)
       SELECT count(*)::int AS count FROM gone`,
      [days],
    )) as { count: number }[];
    const { count, bytes } = await this.purgeRecordings(hours);
    this.#recordings.forget();
    await this.#outlast();
    await this.#compact();
    return {
      songs: songs[0].count,
      recordings: count,
      bytes,
      givenBackBytes: Math.max(0, before - (await this.#databaseBytes())),
    };
  }

  /**
   * What a song has locked at this moment is left for the next purge, so a song that takes a recording now either keeps it or
   * is refused it, in whichever process.
   */
  async purgeRecordings(hours: number): Promise<{ count: number; bytes: number }> {
    return this.#data.transaction(async (manager) => {
      const free = (await manager.query(
        `SELECT hash FROM recordings WHERE ${unneeded} FOR UPDATE SKIP LOCKED`,
        [hours],
      )) as { hash: string }[];
      // Looked at once more, now that nobody can take them: a song may have, before they were locked.
      const [gone] = (await manager.query(
        `WITH gone AS (DELETE FROM recordings WHERE ${unneeded} AND hash = ANY($2) RETURNING bytes)
         SELECT count(*)::int AS count, coalesce(sum(bytes), 0)::float8 AS bytes FROM gone`,
        [hours, free.map(({ hash }) => hash)],
      )) as { count: number; bytes: number }[];
      return gone;
    });
  }

  /**
   * Waits until whatever was under way at this moment, such as an upload that is being stored, has ended: until then PostgreSQL
   * keeps what was deleted, for those who may still look at it. Not for ever; the next purge gives back what is kept.
   */
  async #outlast(): Promise<void> {
    const [{ next }] = (await this.#data.query(
      'SELECT pg_snapshot_xmax(pg_current_snapshot())::text AS next',
    )) as { next: string }[];
    for (const end = Date.now() + mostWaitMs; Date.now() < end; await wait(100)) {
      const [{ over }] = (await this.#data.query(
        'SELECT pg_snapshot_xmin(pg_current_snapshot()) >= $1::xid8 AS over',
        [next],
      )) as { over: boolean }[];
      if (over) return;
    }
  }

  /**
   * Writes what is left anew, so that the disk has the rest back. While it does, nobody can read recordings; and it needs as
   * much room as is left, so where there is none the space is only made free for what comes.
   */
  async #compact(): Promise<void> {
    const { neededBytes, freeBytes } = await this.use();
    const whole = freeBytes > neededBytes * 1.1 + this.#configuration.reserveBytes;
    for (const table of ['recording_chunks', 'recordings', 'commands', 'songs'])
      await this.#storing.query(`VACUUM ${whole ? '(FULL, ANALYZE)' : '(ANALYZE)'} ${table}`);
  }

  async #databaseBytes(): Promise<number> {
    const [{ size }] = (await this.#data.query(
      'SELECT pg_database_size(current_database())::float8 AS size',
    )) as { size: number }[];
    return size;
  }
}
