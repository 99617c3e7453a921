import type { Song } from '@pannet/core/song/song';
import { Zip, ZipPassThrough } from 'fflate';
import type { KnownSplices } from '../playback/known-splices.ts';
import type { ExportJob, FromExporter } from './export.worker.ts';

export interface ExportedFile {
  readonly partId: string;
  readonly fileName: string;
  readonly blob: Blob;
  readonly notes: readonly string[];
}

/** `take.wav` becomes `take_wide.wav`; parts that share a source are told apart by a number. */
export function exportNames(song: Song, partIds: readonly string[]): string[] {
  const used = new Set<string>();
  return partIds.map((id) => {
    const { fileName } = song.recordings[song.parts[id].takes[0].recording];
    const base = fileName.replace(/\.[^.]*$/, '');
    let name = `${base}_wide.wav`;
    for (let n = 2; used.has(name.toLowerCase()); n++) name = `${base}_wide-${n}.wav`;
    used.add(name.toLowerCase());
    return name;
  });
}

/** Renders parts to files in a worker. Rejects with an AbortError when stopped. */
export function exportParts(
  song: Song,
  partIds: readonly string[],
  splices: KnownSplices,
  signal: AbortSignal,
  progress: (share: number) => void,
): Promise<ExportedFile[]> {
  const names = exportNames(song, partIds);
  const worker = new Worker(new URL('./export.worker.ts', import.meta.url), { type: 'module' });
  const pieces = new Map<string, BlobPart[]>(partIds.map((id) => [id, []]));
  const files: ExportedFile[] = [];
  return new Promise<ExportedFile[]>((resolve, reject) => {
    const stop = () => reject(new DOMException('Stopped.', 'AbortError'));
    signal.addEventListener('abort', stop, { once: true });
    worker.onerror = (event) =>
      reject(new Error(event.message || 'The export ended unexpectedly.'));
    worker.onmessage = (event: MessageEvent<FromExporter>) => {
      const message = event.data;
      switch (message.kind) {
        case 'bytes':
          pieces.get(message.partId)?.push(message.bytes);
          progress(message.share);
          break;
        case 'finished':
          files.push({
            partId: message.partId,
            fileName: names[partIds.indexOf(message.partId)],
            blob: new Blob(pieces.get(message.partId), { type: 'audio/wav' }),
            notes: message.notes,
          });
          pieces.delete(message.partId);
          break;
        case 'all':
          resolve(files);
          break;
        case 'failed':
          reject(new Error(message.sentence));
          break;
      }
    };
    worker.postMessage({ song, partIds, splices } satisfies ExportJob);
  }).finally(() => worker.terminate());
}

/** All files in one, stored as they are: audio does not compress. */
export async function zipFiles(files: readonly ExportedFile[]): Promise<Blob> {
  const pieces: BlobPart[] = [];
  const zip = new Zip((error, piece) => {
    if (error) throw error;
    pieces.push(piece as Uint8Array<ArrayBuffer>);
  });
  for (const { fileName, blob } of files) {
    const entry = new ZipPassThrough(fileName);
    zip.add(entry);
    const reader = blob.stream().getReader();
    for (let next = await reader.read(); !next.done; next = await reader.read())
      entry.push(next.value as Uint8Array<ArrayBuffer>);
    entry.push(new Uint8Array(0), true);
  }
  zip.end();
  return new Blob(pieces, { type: 'application/zip' });
}

export function download(blob: Blob, fileName: string): void {
  const url = URL.createObjectURL(blob);
  const link = document.createElement('a');
  link.href = url;
  link.download = fileName;
  link.click();
  setTimeout(() => URL.revokeObjectURL(url), 60_000);
}

export const canChooseFolder = () => 'showDirectoryPicker' in globalThis;

/** Straight into a folder of the engineer's choice. */
export async function writeIntoFolder(files: readonly ExportedFile[]): Promise<string> {
  const folder = await showDirectoryPicker({ mode: 'readwrite' });
  for (const { fileName, blob } of files) {
    const handle = await folder.getFileHandle(fileName, { create: true });
    await blob.stream().pipeTo(await handle.createWritable());
  }
  return folder.name;
}
