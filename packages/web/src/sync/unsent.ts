import type { Command } from '@pannet/core/song/commands';
import { songFormat } from '@pannet/core/song/song';
import { browserStorage } from './browser-storage.ts';
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

/** Stands where the id of a window does, for what waits for a decision. */
const aside = 'aside.';
const prefix = (songId: string) => `pannet.unsent.${songId}.`;
/** As versions before kept them: for all windows in one place, without their base. */
const oldKey = (songId: string) => `pannet.pending.${songId}`;

/** What one window keeps of a song; no other writes to it. */
export class UnsentSteps {
  readonly #songId: string;
  readonly key: string;

  constructor(songId: string, windowId: string) {
    this.#songId = songId;
    this.key = prefix(songId) + windowId;
  }

  /** @returns whether they are kept: a browser may keep nothing, or have no more room */
  keep(baseRevision: number, commands: readonly Command[]): boolean {
    if (commands.length === 0) {
      browserStorage.drop(this.key);
      return true;
    }
    return browserStorage.keep(
      this.key,
      JSON.stringify({ format: songFormat, baseRevision, commands }),
    );
  }

  /** Keeps steps apart from what is sent, until it is decided what becomes of them. */
  setAside(unsent: Unsent): Unsent {
    const { format, baseRevision, commands } = unsent;
    const isAside = unsent.key.startsWith(prefix(this.#songId) + aside);
    const key = isAside ? unsent.key : prefix(this.#songId) + aside + crypto.randomUUID();
    browserStorage.keep(key, JSON.stringify({ format, baseRevision, commands }));
    return { ...unsent, key };
  }

  /** What this window kept before it was loaded anew, and what windows kept that are closed; never another open one's. */
  async left(): Promise<Unsent[]> {
    const found: Unsent[] = [];
    for (const key of [this.key, ...browserStorage.keys()]) {
      if (found.some((other) => other.key === key)) continue;
      if (key !== this.key) {
        if (!key.startsWith(prefix(this.#songId))) continue;
        const id = key.slice(prefix(this.#songId).length);
        // Where it cannot be told it is left to that window.
        if (!id.startsWith(aside) && (await isOpen(id)) !== false) continue;
      }
      const unsent = readUnsent(key);
      if (unsent) found.push(unsent);
    }
    const old = readUnsent(oldKey(this.#songId));
    return old ? [...found, old] : found;
  }
}

export function dropUnsent(key: string): void {
  browserStorage.drop(key);
}

function readUnsent(key: string): Unsent | null {
  try {
    const kept: unknown = JSON.parse(browserStorage.read(key) ?? 'null');
    if (Array.isArray(kept))
      return kept.length === 0
        ? null
        : { key, format: songFormat, baseRevision: -1, commands: kept as Command[] };
    const { format, baseRevision, commands } = (kept ?? {}) as Partial<Unsent>;
    if (!Array.isArray(commands) || commands.length === 0) return null;
    return { key, format: format ?? 0, baseRevision: baseRevision ?? -1, commands };
  } catch {
    return null;
  }
}
