import { createHash, randomUUID } from 'node:crypto';
import {
  createReadStream,
  createWriteStream,
  mkdirSync,
  readdirSync,
  rmSync,
  statSync,
} from 'node:fs';
import { type FileHandle, open, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { type Readable, Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { Injectable } from '@nestjs/common';
import type { ByteSource } from '@pannet/core/formats/byte-source';
import { Configuration } from '../configuration/configuration.ts';
import { diskFull } from '../problems/failing.ts';
import { Problem } from '../problems/problem.ts';
import { Disk, type HeldRoom } from './disk.ts';

/** A file that has come whole. */
export interface Spooled {
  readonly hash: string;
  readonly bytes: number;
  /** Reads it by random access; open until the file is dropped. */
  readonly source: ByteSource;
  stream(): Readable;
}

/** After so many bytes it is looked whether the disk can still bear it. */
const lookEvery = 64 * 1_048_576;

/** Each is named by the process that takes it in. */
const ending = '.upload';

/** Whether a file is what a killed server left, so that nobody waits for it: others that run may have theirs in the same folder. */
function isLeft(folder: string, name: string): boolean {
  if (!name.endsWith(ending)) return false;
  const taker = /^(\d+)-/.exec(name);
  if (!taker) return true;
  const id = Number(taker[1]);
  if (id !== process.pid) return !isRunning(id);
  // Of one that had the same number.
  const begun = statSync(join(folder, name), { throwIfNoEntry: false })?.mtimeMs;
  return begun !== undefined && begun < Date.now() - 1000 * process.uptime();
}

function isRunning(id: number): boolean {
  try {
    return process.kill(id, 0);
  } catch (error) {
    // There is one, of somebody else.
    return (error as { code?: unknown }).code === 'EPERM';
  }
}

/**
 * Where uploads lie until they are whole. As long as a file is coming it holds nothing but its own connection and a file:
 * neither one that crawls nor one that breaks off is ever seen by the database, and what broke off is gone at once.
 */
@Injectable()
export class Spool {
  readonly #configuration: Configuration;
  readonly #disk: Disk;

  constructor(configuration: Configuration, disk: Disk) {
    this.#configuration = configuration;
    this.#disk = disk;
    const folder = configuration.spoolFolder;
    mkdirSync(folder, { recursive: true, mode: 0o700 });
    for (const name of readdirSync(folder))
      if (isLeft(folder, name)) rmSync(join(folder, name), { force: true });
  }

  /**
   * Takes a body in, gives the whole file to `use`, and drops it afterwards, whatever happens.
   * @throws Problem 408 if it stands still, 413 if it is too large, 507 if the disk is full
   */
  async receive<Result>(
    body: Readable,
    announcedBytes: number,
    use: (file: Spooled) => Promise<Result>,
  ): Promise<Result> {
    const path = join(this.#configuration.spoolFolder, `${process.pid}-${randomUUID()}${ending}`);
    let handle: FileHandle | undefined;
    const room = this.#disk.hold(announcedBytes);
    try {
      this.#checkSize(announcedBytes);
      await room.demand(0);
      const { hash, bytes } = await this.#write(body, path, room);
      handle = await open(path);
      const file = handle;
      const read = async (offset: number, length: number) => {
        const piece = new Uint8Array(Math.max(0, Math.min(length, bytes - offset)));
        const { bytesRead } = await file.read(piece, 0, piece.length, offset);
        return piece.subarray(0, bytesRead);
      };
      return await use({
        hash,
        bytes,
        source: { size: bytes, read },
        stream: () => createReadStream(path, { highWaterMark: 262_144 }),
      });
    } finally {
      room.release();
      await handle?.close();
      await rm(path, { force: true });
    }
  }

  #checkSize(bytes: number): void {
    const { largestUploadBytes, uploadMb } = this.#configuration;
    if (bytes <= largestUploadBytes) return;
    throw new Problem(413, {
      code: 'too-large',
      sentence: `The file is too large: a file has at most ${uploadMb} MB here.`,
    });
  }

  async #write(
    body: Readable,
    path: string,
    room: HeldRoom,
  ): Promise<{ hash: string; bytes: number }> {
    const digest = createHash('sha256');
    let bytes = 0;
    let looked = 0;
    const look = async () => {
      this.#checkSize(bytes);
      if (bytes - looked < lookEvery) return;
      looked = bytes;
      await room.demand(bytes);
    };
    const measured = new Transform({
      transform(piece: Buffer, _, done) {
        digest.update(piece);
        bytes += piece.length;
        look().then(() => done(null, piece), done);
      },
    });
    const stop = new AbortController();
    const late = setInterval(() => {
      // Where the disk is what is waited for, the sender stands still through no fault of its own.
      if (!measured.writableNeedDrain && came === bytes) stop.abort();
      came = bytes;
    }, this.#configuration.patienceMs);
    let came = -1;
    try {
      await pipeline(body, measured, createWriteStream(path, { flags: 'wx', mode: 0o600 }), {
        signal: stop.signal,
      });
    } catch (error) {
      if (stop.signal.aborted)
        throw new Problem(408, {
          code: 'stood-still',
          sentence: `Nothing came of the file for ${this.#configuration.patienceS} s; nothing of it was kept. Send it again.`,
        });
      if ((error as { code?: unknown }).code === 'ENOSPC') throw diskFull();
      throw error;
    } finally {
      clearInterval(late);
    }
    return { hash: digest.digest('hex'), bytes };
  }
}
