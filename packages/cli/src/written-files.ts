import { rmSync } from 'node:fs';
import { open, readlink, realpath, rename, rm, stat, type FileHandle } from 'node:fs/promises';
import { dirname, resolve } from 'node:path';
import { failure, type Outcome, success } from '@pannet/core/outcome';
import { fileFailure } from './paths.ts';

/** What is not whole yet, so that none of it is left behind when the command is stopped. */
const unfinished = new Set<string>();

/** Removes what is not whole yet, at once. */
export function removeUnfinished(): void {
  for (const path of unfinished) rmSync(path, { force: true });
  unfinished.clear();
}

/** Where an output really goes. */
type Place =
  /** A regular file, there or not: it is written beside its place. */
  | { readonly kind: 'file'; readonly path: string }
  /** A pipe or a socket: whoever reads it gets it as it is written. */
  | { readonly kind: 'pipe'; readonly path: string };

/** Follows links. @returns a failure for a device, which must not be replaced by a file, and would take any sound */
async function placeOf(path: string): Promise<Outcome<Place>> {
  const found = await stat(path).catch(() => null);
  if (found?.isBlockDevice() || found?.isCharacterDevice())
    return failure(
      'not-writable',
      `“${path}” cannot be written: it is a device. Name a file, or a pipe.`,
    );
  if (found && !found.isFile() && !found.isDirectory()) return success({ kind: 'pipe', path });
  if (found) return success({ kind: 'file', path: await realpath(path) });
  // A link to what is not there yet.
  const to = await readlink(path).catch(() => null);
  return to === null ? success({ kind: 'file', path }) : placeOf(resolve(dirname(path), to));
}

/**
 * A file that is written beside its place, and appears under its name only when it is whole. Links stay and what they lead to
 * is written; pipes are written as they are.
 */
export class WrittenFile {
  readonly path: string;
  readonly #target: string;
  /** null where it is written in place. */
  readonly #beside: string | null;
  readonly #handle: FileHandle;

  private constructor(path: string, target: string, beside: string | null, handle: FileHandle) {
    this.path = path;
    this.#target = target;
    this.#beside = beside;
    this.#handle = handle;
  }

  static async create(path: string): Promise<Outcome<WrittenFile>> {
    try {
      const place = await placeOf(path);
      if (!place.ok) return place;
      const target = place.value.path;
      if (place.value.kind === 'pipe')
        return success(new WrittenFile(path, target, null, await open(target, 'w')));
      const beside = `${target}.${process.pid}.partial`;
      const handle = await open(beside, 'wx');
      unfinished.add(beside);
      return success(new WrittenFile(path, target, beside, handle));
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
      if (this.#beside === null) {
        await this.#handle.close();
        return success(undefined);
      }
      await this.#handle.sync();
      await this.#handle.close();
      await rename(this.#beside, this.#target);
      unfinished.delete(this.#beside);
      return success(undefined);
    } catch (error) {
      return fileFailure(this.path, 'written', error);
    }
  }

  /** Leaves nothing behind; after `finish` it does nothing. */
  async discard(): Promise<void> {
    if (this.#beside === null) {
      await this.#handle.close().catch(() => {});
      return;
    }
    if (!unfinished.has(this.#beside)) return;
    await this.#handle.close().catch(() => {});
    await rm(this.#beside, { force: true });
    unfinished.delete(this.#beside);
  }
}
