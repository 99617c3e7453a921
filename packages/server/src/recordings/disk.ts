import { statfs } from 'node:fs/promises';
import { Injectable } from '@nestjs/common';
import { Configuration } from '../configuration/configuration.ts';
import { diskFull } from '../problems/failing.ts';

/**
 * What PostgreSQL's log may take while a file is stored: every byte goes through it, up to the size at which it begins again
 * (`max_wal_size`, as we start it).
 */
const walBytes = 128 * 1_048_576;

/** The room that an upload still needs; it is held for it until it is released. */
export interface HeldRoom {
  /**
   * @param got bytes that have come
   * @throws Problem 507 where the disk has no room for what is still to come
   */
  demand(got: number): Promise<void>;
  release(): void;
}

/** The disk that uploads lie on, and beside them, as we start it, the database. */
@Injectable()
export class Disk {
  readonly #configuration: Configuration;
  /** Bytes that uploads under way still need. */
  readonly #held = new Map<HeldRoom, number>();

  constructor(configuration: Configuration) {
    this.#configuration = configuration;
  }

  async freeBytes(): Promise<number> {
    const { bavail, bsize } = await statfs(this.#configuration.spoolFolder);
    return bavail * bsize;
  }

  /**
   * Holds room for a file on its whole way: in the spool, in the database and in the database's log, and leaves a reserve for
   * small edits.
   * @param announced bytes that are said to come; 0 where nothing is said
   */
  hold(announced: number): HeldRoom {
    const room: HeldRoom = {
      demand: async (got) => {
        this.#held.set(room, roomFor(announced, got));
        // What others were promised is not there for this one.
        const promised = [...this.#held.values()].reduce((sum, bytes) => sum + bytes, 0);
        if ((await this.freeBytes()) - promised < this.#configuration.reserveBytes)
          throw diskFull();
      },
      release: () => void this.#held.delete(room),
    };
    return room;
  }
}

/** What a file still takes when so much of it has come. */
export function roomFor(announced: number, got: number): number {
  const whole = Math.max(announced, got);
  return whole - got + whole + Math.min(whole, walBytes);
}
