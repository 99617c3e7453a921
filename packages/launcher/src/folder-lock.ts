import { linkSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Complaint } from './repository.ts';

/** Who has a data folder. */
interface Holder {
  readonly pid: number;
  /** When that process began, in the kernel's ticks: a number that comes again is another process. */
  readonly began: string;
  readonly address: string;
}

export interface FolderLock {
  release(): void;
}

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

function holderOf(file: string): Holder | null {
  try {
    const holder = JSON.parse(readFileSync(file, 'utf8')) as Holder;
    return beganAt(holder.pid) === holder.began ? holder : null;
  } catch {
    return null;
  }
}

/**
 * Takes a data folder for this process: of two on one folder the end of the first would take the database from the second.
 * @throws Complaint that says who has it, and how to reach that
 */
export function takeFolder(folder: string, address: string): FolderLock {
  const file = join(folder, 'in-use.json');
  const own = join(folder, `in-use.${process.pid}.json`);
  const holder: Holder = { pid: process.pid, began: beganAt(process.pid) ?? '', address };
  writeFileSync(own, JSON.stringify(holder));
  try {
    for (let tries = 0; ; tries++) {
      try {
        // Whole or not at all, and never over another's.
        linkSync(own, file);
        break;
      } catch (error) {
        if ((error as { code?: string }).code !== 'EEXIST' || tries > 3) throw error;
      }
      const other = holderOf(file);
      if (other && other.pid !== process.pid)
        throw new Complaint(
          `${folder} is in use by the Pannet at ${other.address} (process ${other.pid}): open that address, or stop it first. A second one beside it needs a folder of its own: --data FOLDER.`,
        );
      rmSync(file, { force: true });
    }
  } finally {
    rmSync(own, { force: true });
  }
  return {
    release: () => {
      if (holderOf(file)?.pid === process.pid) rmSync(file, { force: true });
    },
  };
}
