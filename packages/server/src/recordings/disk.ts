import { statfs } from 'node:fs/promises';
import { Injectable } from '@nestjs/common';
import { Configuration } from '../configuration/configuration.ts';
import { diskFull } from '../problems/failing.ts';

/** The disk that uploads lie on, and beside them, as we start it, the database. */
@Injectable()
export class Disk {
  readonly #configuration: Configuration;

  constructor(configuration: Configuration) {
    this.#configuration = configuration;
  }

  async freeBytes(): Promise<number> {
    const { bavail, bsize } = await statfs(this.#configuration.spoolFolder);
    return bavail * bsize;
  }

  /** Sees to it that what comes leaves room for small edits. @throws Problem 507 */
  async demandRoom(bytes: number): Promise<void> {
    if ((await this.freeBytes()) - bytes < this.#configuration.reserveBytes) throw diskFull();
  }
}
