import type { Song } from '@pannet/core/song/song';
import { Zip, ZipPassThrough } from 'fflate';
import type { KnownSplices } from '../playback/known-splices.ts';
import { ask, question } from '../workers/ask.ts';
import type { ExportJob, ExportNotes, ExportStep } from './export.worker.ts';
import { exportNames, stemOf } from './stems.ts';

const exporter = question<ExportJob, ExportNotes, ExportStep>(
  () => new Worker(new URL('./export.worker.ts', import.meta.url), { type: 'module' }),
);

/** Each worker reads for itself: more of them would ask for more memory than they save time. */
const mostWorkers = 4;

export interface ExportedFile {
  readonly stemId: string;
  readonly fileName: string;
  readonly blob: Blob;
  readonly notes: ExportNotes;
}

/**
 * Renders stems to files, several at once where there are cores for it, each in a worker of its own. Rejects with an
 * AbortError when stopped; where one of them cannot be written, the others are given up.
 * @param splicesOf those of these parts that were planned already
 * @param progress told the share of all that is done
 */
export async function exportStems(
  song: Song,
  stemIds: readonly string[],
  splicesOf: (partIds: readonly string[]) => KnownSplices,
  signal: AbortSignal,
  progress: (share: number) => void,
): Promise<ExportedFile[]> {
  const names = exportNames(song, stemIds);
  const shares = stemIds.map(() => 0);
  const failed = new AbortController();
  const stop = AbortSignal.any([signal, failed.signal]);
  const files: ExportedFile[] = [];
  const exportOne = async (n: number) => {
    const pieces: BlobPart[] = [];
    const take = ({ bytes, share }: ExportStep) => {
      pieces.push(bytes);
      shares[n] = share;
      progress(shares.reduce((sum, each) => sum + each, 0) / shares.length);
    };
    const stemId = stemIds[n];
    const splices = splicesOf(stemOf(song, stemId).partIds);
    const notes = await ask(exporter, { song, stemId, splices }, { signal: stop, progress: take });
    files[n] = {
      stemId,
      fileName: names[n],
      blob: new Blob(pieces, { type: 'audio/wav' }),
      notes,
    };
  };
  const waiting = stemIds.keys();
  const work = async () => {
    for (const n of waiting) await exportOne(n);
  };
  const workers = Math.min(navigator.hardwareConcurrency, mostWorkers, stemIds.length);
  try {
    await Promise.all(Array.from({ length: workers }, work));
  } catch (error) {
    failed.abort();
    throw error;
  }
  return files;
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
