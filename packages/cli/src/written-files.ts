import { rmSync } from 'node:fs';
import { open, rename, rm, type FileHandle } from 'node:fs/promises';
import { type Outcome, success } from '@pannet/core/outcome';
import { fileFailure } from './paths.ts';

/** What is not whole yet, so that none of it is left behind when the command is stopped. */
const unfinished = new Set<string>();

/** Removes what is not whole yet, at once. */
export function removeUnfinished(): void {
  for (const path of unfinished) rmSync(path, { force: true });
  unfinished.clear();
}

/** A file that is written beside its place, and appears under its name only when it is whole. */
export class WrittenFile {
  readonly path: string;
  readonly #beside: string;
  readonly #handle: FileHandle;

  private constructor(path: string, beside: string, handle: FileHandle) {
    this.path = path;
    this.#beside = beside;
    this.#handle = handle;
  }

  static async create(path: string): Promise<Outcome<WrittenFile>> {
    const beside = `${path}.${process.pid}.partial`;
    try {
      const handle = await open(beside, 'wx');
      unfinished.add(beside);
      return success(new WrittenFile(path, beside, handle));
    } catch (error) {
      return fileFailure(path, 'written', error);
    }
  }

  async write(bytes: Uint8Array): Promise<Outcome<void>> {
    try {
      await this.#handle.writeFile(bytes);
      return success(undefined);
    } catch (error) {
      return fileFailure(this.path, 'written', error);
    }
  }

  /** Puts it in its place. */
  async finish(): Promise<Outcome<void>> {
    try {
      await this.#handle.sync();
      await this.#handle.close();
      await rename(this.#beside, this.path);
      unfinished.delete(this.#beside);
      return success(undefined);
    } catch (error) {
      return fileFailure(this.path, 'written', error);
    }
  }

  /** Leaves nothing behind; after `finish` it does nothing. */
  async discard(): Promise<void> {
    if (!unfinished.has(this.#beside)) return;
    await this.#handle.close().catch(() => {});
    await rm(this.#beside, { force: true });
    unfinished.delete(this.#beside);
  }
}
