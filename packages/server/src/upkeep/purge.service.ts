import { Injectable } from '@nestjs/common';
import { DataSource } from 'typeorm';
import { Configuration } from '../configuration/configuration.ts';
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

  constructor(
    data: DataSource,
    disk: Disk,
    configuration: Configuration,
    recordings: RecordingsService,
  ) {
    this.#data = data;
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
    // In one statement: a song that takes a recording at this moment either keeps it or is refused it.
    const recordings = (await this.#data.query(
      `WITH gone AS (DELETE FROM recordings WHERE ${unneeded} RETURNING bytes)
       SELECT count(*)::int AS count, coalesce(sum(bytes), 0)::float8 AS bytes FROM gone`,
      [hours],
    )) as { count: number; bytes: number }[];
    this.#recordings.forget();
    await this.#compact();
    const [{ count, bytes }] = recordings;
    return {
      songs: songs[0].count,
      recordings: count,
      bytes,
      givenBackBytes: Math.max(0, before - (await this.#databaseBytes())),
    };
  }

  /**
   * Writes what is left anew, so that the disk has the rest back. While it does, nobody can read recordings; and it needs as
   * much room as is left, so where there is none the space is only made free for what comes.
   */
  async #compact(): Promise<void> {
    const { neededBytes, freeBytes } = await this.use();
    const whole = freeBytes > neededBytes * 1.1 + this.#configuration.reserveBytes;
    for (const table of ['recording_chunks', 'recordings', 'commands', 'songs'])
      await this.#data.query(`VACUUM ${whole ? '(FULL, ANALYZE)' : '(ANALYZE)'} ${table}`);
  }

  async #databaseBytes(): Promise<number> {
    const [{ size }] = (await this.#data.query(
      'SELECT pg_database_size(current_database())::float8 AS size',
    )) as { size: number }[];
    return size;
  }
}
