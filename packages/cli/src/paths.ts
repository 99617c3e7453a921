import { realpath, stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { failure, success, type Outcome } from '@pannet/core/outcome';

/** Why a file could not be read or written, by the system's name for it. */
const reasons: Readonly<Record<string, string>> = {
  ENOENT: 'there is no such file or folder',
  EACCES: 'access to it is not allowed',
  EPERM: 'access to it is not allowed',
  EISDIR: 'it is a folder',
  ENOTDIR: 'a part of its path is not a folder',
  ENOSPC: 'the disk is full',
  EDQUOT: 'the disk space that is allowed is used up',
  EFBIG: 'it would be larger than a file may be there',
  EROFS: 'the disk is read-only',
  ENAMETOOLONG: 'its name is too long',
  ELOOP: 'it is a link that leads to itself',
  EMFILE: 'too many files are open',
  EEXIST: 'there is one of that name',
};

/** A failure of the file system as a sentence; whatever is none is thrown on. */
export function fileFailure(
  path: string,
  what: 'opened' | 'written',
  error: unknown,
): Outcome<never> {
  const code = String((error as { readonly code?: unknown } | null)?.code);
  const reason = reasons[code];
  if (reason === undefined) throw error;
  return failure(
    what === 'opened' ? 'no-file' : 'not-writable',
    `“${path}” cannot be ${what}: ${reason}.`,
  );
}

interface NamedPath {
  /** The option that it was given by. */
  readonly option: string;
  readonly path: string;
}

/**
 * Sees to it that nothing is written over what is read, or over another output, under whatever name it goes, and that no output is a
 * folder. Said before anything is computed.
 */
export async function checkOutputs(
  read: readonly NamedPath[],
  written: readonly NamedPath[],
): Promise<Outcome<void>> {
  const taken: { readonly file: NamedPath; readonly known: readonly string[] }[] = [];
  for (const file of read) taken.push({ file, known: await identities(file.path) });
  for (const file of written) {
    const known = await identities(file.path);
    const same = taken.find((other) => other.known.some((one) => known.includes(one)));
    if (same)
      return failure(
        'same-file',
        `${file.option} and ${same.file.option} are the same file, “${file.path}”: nothing is written over it. Give ${file.option} another name.`,
      );
    if ((await stat(file.path).catch(() => null))?.isDirectory())
      return fileFailure(file.path, 'written', Object.assign(new Error(), { code: 'EISDIR' }));
    taken.push({ file, known });
  }
  return success(undefined);
}

/** What tells whether two paths are one file: where they lead, and its number on the disk. */
async function identities(path: string): Promise<string[]> {
  const found = await stat(path).catch(() => null);
  const folder = await realpath(dirname(path)).catch(() => dirname(path));
  const real = await realpath(path).catch(() => join(folder, basename(path)));
  return found ? [real, `${found.dev}:${found.ino}`] : [real];
}
