import type { Song } from '@pannet/core/song/song';
import { Zip, ZipPassThrough } from 'fflate';
import type { KnownSplices } from '../playback/known-splices.ts';
import { ask, question } from '../workers/ask.ts';
import type { ExportJob, ExportStep } from './export.worker.ts';
import { exportNames } from './stems.ts';

const exporter = question<ExportJob, null, ExportStep>(
  () => new Worker(new URL('./export.worker.ts', import.meta.url), { type: 'module' }),
);

export interface ExportedFile {
  readonly stemId: string;
  readonly fileName: string;
  readonly blob: Blob;
  readonly notes: readonly string[];
}

/** Renders stems to files in a worker. Rejects with an AbortError when stopped. */
export function exportStems(
  song: Song,
  stemIds: readonly string[],
  splices: KnownSplices,
  signal: AbortSignal,
  progress: (share: number) => void,
): Promise<ExportedFile[]> {
  const names = exportNames(song, stemIds);
  const pieces = new Map<string, BlobPart[]>(stemIds.map((id) => [id, []]));
  const files: ExportedFile[] = [];
  const take = (step: ExportStep) => {
    if (step.kind === 'bytes') {
      pieces.get(step.stemId)?.push(step.bytes);
      progress(step.share);
      return;
    }
    files.push({
      stemId: step.stemId,
      fileName: names[stemIds.indexOf(step.stemId)],
      blob: new Blob(pieces.get(step.stemId), { type: 'audio/wav' }),
      notes: step.notes,
    });
    pieces.delete(step.stemId);
  };
  return ask(exporter, { song, stemIds, splices }, { signal, progress: take }).then(() => files);
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
