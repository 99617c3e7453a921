import type { Command } from '@pannet/core/song/commands';
import { songFormat } from '@pannet/core/song/song';
import { browserStorage } from './browser-storage.ts';
import { durableStore } from './durable-store.ts';
import { isOpen } from './this-window.ts';

/** Steps that a window could not send, as they are kept over a reload. */
export interface Unsent {
  /** What they are kept under. */
  readonly key: string;
  /** Of the song that they were made for. */
  readonly format: number;
  /** The revision that the first of them stands on; −1 where it was not kept. */
  readonly baseRevision: number;
  readonly commands: readonly Command[];
}

/** As it is kept. */
interface Kept extends Omit<Unsent, 'key'> {
  /** Name of the account that made them; null where there are none. Left out by earlier versions. */
  readonly account?: string | null;
  /** When it was kept, in ms since 1970: of two states of one key the later one counts. */
  readonly at?: number;
}

/** Stands where the id of a window does, for what waits for a decision. */
const aside = 'aside.';
/** Between the id of a window and that of a session in it. */
const sessionMark = '~';
const prefix = (songId: string) => `pannet.unsent.${songId}.`;
/** As versions before kept them: for all windows in one place, without their base. */
const oldKey = (songId: string) => `pannet.pending.${songId}`;

/** Keys of the sessions of this page that are open: nobody else takes up what they keep. */
const openKeys = new Set<string>();

/** What one session of a song keeps; no other writes to it. */
export class UnsentSteps {
  readonly #songId: string;
  readonly #windowKey: string;
  readonly #account: string | null;
  readonly key: string;

  /**
   * @param sessionId told apart from other sessions of the window, such as one that was left while an answer was on its way
   * @param account whoever is signed in; null where there are no accounts
   */
  constructor(
    songId: string,
    windowId: string,
    sessionId: string | null = null,
    account: string | null = null,
  ) {
    this.#songId = songId;
    this.#account = account;
    this.#windowKey = prefix(songId) + windowId;
    this.key = sessionId === null ? this.#windowKey : this.#windowKey + sessionMark + sessionId;
    openKeys.add(this.key);
  }

  /**
   * @returns whether they are kept over a reload at once, and whether they survive a killed browser too, once that is known
   */
  keep(
    baseRevision: number,
    commands: readonly Command[],
  ): { readonly now: boolean; readonly durably: Promise<boolean> } {
    if (commands.length === 0) {
      dropUnsent(this.key);
      return { now: true, durably: Promise.resolve(true) };
    }
    const text = this.#text({ format: songFormat, baseRevision, commands });
    return { now: browserStorage.keep(this.key, text), durably: durableStore.keep(this.key, text) };
  }

  #text(kept: Kept): string {
    return JSON.stringify({ ...kept, account: this.#account, at: Date.now() });
  }

  /** Keeps steps apart from what is sent, until it is decided what becomes of them; where that fails they stay where they are. */
  async setAside(unsent: Unsent): Promise<Unsent> {
    const { format, baseRevision, commands } = unsent;
    const isAside = unsent.key.startsWith(prefix(this.#songId) + aside);
    const key = isAside ? unsent.key : prefix(this.#songId) + aside + crypto.randomUUID();
    const text = this.#text({ format, baseRevision, commands });
    const now = browserStorage.keep(key, text);
    const durably = durableStore.keep(key, text);
    return now || (await durably) ? { ...unsent, key } : unsent;
  }

  /**
   * What this window kept before it was loaded anew, and what windows kept that are closed; never what another open one keeps,
   * nor what another account made.
   */
  async left(): Promise<Unsent[]> {
    const start = prefix(this.#songId);
    const durable = await durableStore.entries(start);
    const keys = new Set([this.#windowKey, ...browserStorage.keys(), ...durable.keys()]);
    const found: Unsent[] = [];
    for (const key of keys) {
      if (!key.startsWith(start) || (openKeys.has(key) && key !== this.key)) continue;
      const id = key.slice(start.length).split(sessionMark)[0];
      const isOwn = start + id === this.#windowKey;
      // Where it cannot be told it is left to that window.
      if (!isOwn && !id.startsWith(aside) && (await isOpen(id)) !== false) continue;
      const unsent = later(
        this.#read(key, browserStorage.read(key)),
        this.#read(key, durable.get(key) ?? null),
      );
      if (unsent) found.push(unsent);
    }
    const old = this.#read(oldKey(this.#songId), browserStorage.read(oldKey(this.#songId)));
    return old ? [...found, old] : found;
  }

  #read(key: string, text: string | null): (Unsent & { readonly at: number }) | null {
    try {
      const kept: unknown = JSON.parse(text ?? 'null');
      if (Array.isArray(kept))
        return kept.length === 0
          ? null
          : { key, format: songFormat, baseRevision: -1, commands: kept as Command[], at: 0 };
      const { format, baseRevision, commands, account, at = 0 } = (kept ?? {}) as Partial<Kept>;
      if (!Array.isArray(commands) || commands.length === 0) return null;
      if (account !== undefined && account !== this.#account) return null;
      return { key, format: format ?? 0, baseRevision: baseRevision ?? -1, commands, at };
    } catch {
      return null;
    }
  }

  /** The session is left: what it keeps is the next one's to take up. */
  close(): void {
    openKeys.delete(this.key);
  }
}

function later<State extends { readonly at: number }>(
  one: State | null,
  other: State | null,
): State | null {
  if (!one || !other) return one ?? other;
  return other.at > one.at ? other : one;
}

export function dropUnsent(key: string): void {
  browserStorage.drop(key);
  void durableStore.drop(key);
}
