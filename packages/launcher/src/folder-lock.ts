import { linkSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Complaint } from './repository.ts';

/** A process that uses a data folder. */
export interface FolderUser {
  readonly pid: number;
  /** When that process began, in the kernel's ticks: a number that comes again is another process. */
  readonly began: string;
  /** The command, such as “./pannet start”. */
  readonly command: string;
  /** Where its Pannet can be reached; null for a command that serves nothing. */
  readonly address: string | null;
}

export interface FolderLock {
  release(): void;
}

/** The folder is held by another process, which runs its PostgreSQL. */
export class FolderInUse extends Complaint {}

const visitorFile = /^visitor\.\d+\.json$/;

/** When a process began, as Linux tells it (proc(5), `stat`, field 22); null if there is none. */
function beganAt(pid: number): string | null {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    // The name, in parentheses, may have anything in it.
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19];
  } catch {
    return null;
  }
}

function userOf(file: string): FolderUser | null {
  try {
    const user = JSON.parse(readFileSync(file, 'utf8')) as FolderUser;
    return beganAt(user.pid) === user.began ? user : null;
  } catch {
    return null;
  }
}

function thisProcess(command: string, address: string | null): FolderUser {
  return { pid: process.pid, began: beganAt(process.pid) ?? '', command, address };
}

/**
 * Takes a data folder for this process, which then starts and stops its PostgreSQL.
 * @throws FolderInUse that says who has it, and what to do
 */
export function takeFolder(
  folder: string,
  command: string,
  address: string | null = null,
): FolderLock {
  const file = join(folder, 'in-use.json');
  const own = join(folder, `in-use.${process.pid}.json`);
  writeFileSync(own, JSON.stringify(thisProcess(command, address)));
  try {
    for (let tries = 0; ; tries++) {
      try {
        // Whole or not at all, and never over another's.
        linkSync(own, file);
        break;
      } catch (error) {
        if ((error as { code?: string }).code !== 'EEXIST' || tries > 3) throw error;
      }
      const other = userOf(file);
      if (other && other.pid !== process.pid) throw new FolderInUse(inUse(folder, other));
      rmSync(file, { force: true });
    }
  } finally {
    rmSync(own, { force: true });
  }
  return {
    release: () => {
      if (userOf(file)?.pid === process.pid) rmSync(file, { force: true });
    },
  };
}

function inUse(folder: string, { address, command, pid }: FolderUser): string {
  return address
    ? `${folder} is in use by the Pannet at ${address} (process ${pid}): open that address, or stop it first. A second one beside it needs a folder of its own: --data FOLDER.`
    : `${folder} is in use by “${command}” (process ${pid}): try again when that has ended.`;
}

/** Registers this process as one that works on a folder which another one holds: the holder waits for it before it stops PostgreSQL. */
export function visitFolder(folder: string, command: string): FolderLock {
  const file = join(folder, `visitor.${process.pid}.json`);
  writeFileSync(file, JSON.stringify(thisProcess(command, null)));
  return { release: () => rmSync(file, { force: true }) };
}

/** The commands that work on a folder besides its holder. */
export function visitorsOf(folder: string): FolderUser[] {
  return readdirSync(folder)
    .filter((name) => visitorFile.test(name))
    .flatMap((name) => {
      const visitor = userOf(join(folder, name));
      if (!visitor) rmSync(join(folder, name), { force: true });
      return visitor && visitor.pid !== process.pid ? [visitor] : [];
    });
}
