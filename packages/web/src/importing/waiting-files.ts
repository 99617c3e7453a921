/** Files that were dropped on the list of songs, on their way into the song that they begin. */
const waiting = new Map<string, readonly File[]>();

export function handOver(songId: string, files: readonly File[]): void {
  if (files.length > 0) waiting.set(songId, files);
}

export function takeOver(songId: string): readonly File[] {
  const files = waiting.get(songId) ?? [];
  waiting.delete(songId);
  return files;
}
