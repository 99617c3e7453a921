import { windowStorage } from './browser-storage.ts';

const key = 'pannet.window';
const lockName = (id: string) => `pannet.window.${id}`;
/** A window that is loaded anew waits so long for what it was before to let go. */
const letGoMs = 500;

let own: Promise<string> | undefined;

/**
 * The id of this window, the same over a reload, another in a window that was duplicated. As long as it is open it holds a lock
 * of this name, which tells the others that it is.
 */
export function thisWindow(): Promise<string> {
  own ??= claim(windowStorage.read(key) ?? crypto.randomUUID());
  return own;
}

async function claim(id: string): Promise<string> {
  // Only a secure context has locks; without them a window only knows of itself.
  const { locks } = navigator as { readonly locks?: LockManager };
  const claimed = !locks || (await held(locks, id)) ? id : crypto.randomUUID();
  if (locks && claimed !== id) await held(locks, claimed);
  windowStorage.keep(key, claimed);
  return claimed;
}

function held(locks: LockManager, id: string): Promise<boolean> {
  return new Promise((resolve) => {
    locks
      .request(lockName(id), { signal: AbortSignal.timeout(letGoMs) }, () => {
        resolve(true);
        return new Promise(() => {});
      })
      .catch(() => resolve(false));
  });
}

/** Whether another window of this id is open; null where it cannot be told. */
export async function isOpen(id: string): Promise<boolean | null> {
  const { locks } = navigator as { readonly locks?: LockManager };
  if (!locks) return null;
  const { held: all = [] } = await locks.query();
  return all.some(({ name }) => name === lockName(id));
}
