/** What a browser keeps for this application; one that keeps nothing, or has no more room, does not stop any work. */
export interface KeptText {
  read(key: string): string | null;
  /** @returns whether it is kept now */
  keep(key: string, text: string): boolean;
  drop(key: string): void;
  keys(): string[];
}

function keptIn(storage: () => Storage): KeptText {
  // Even to name the storage fails where it is forbidden.
  const tried = <Result>(run: (there: Storage) => Result, otherwise: Result): Result => {
    try {
      return run(storage());
    } catch {
      return otherwise;
    }
  };
  return {
    read: (key) => tried((there) => there.getItem(key), null),
    keep: (key, text) =>
      tried((there) => {
        there.setItem(key, text);
        return true;
      }, false),
    drop: (key) => tried((there) => there.removeItem(key), undefined),
    keys: () =>
      tried(
        (there) =>
          Array.from({ length: there.length }, (_, n) => there.key(n)).filter(
            (key) => key !== null,
          ),
        [],
      ),
  };
}

/** Kept for all windows, until it is dropped. */
export const browserStorage = keptIn(() => localStorage);
/** Kept for this window, over a reload. */
export const windowStorage = keptIn(() => sessionStorage);
