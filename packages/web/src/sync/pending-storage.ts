import type { Command } from '@pannet/core/song/commands';

const key = (songId: string) => `pannet.pending.${songId}`;

/** Commands that the server has yet to acknowledge, kept over a reload. */
export function keepPending(songId: string, commands: readonly Command[]): void {
  if (commands.length === 0) localStorage.removeItem(key(songId));
  else localStorage.setItem(key(songId), JSON.stringify(commands));
}

export function keptPending(songId: string): Command[] {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(key(songId)) ?? '[]');
    return Array.isArray(kept) ? (kept as Command[]) : [];
  } catch {
    return [];
  }
}
