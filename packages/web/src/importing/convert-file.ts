import type { AudioFormat } from '@pannet/core/formats/audio-format';
import type { Outcome } from '@pannet/core/outcome';
import { ask, question } from '../workers/ask.ts';

export interface Converting {
  readonly file: File;
  /** null keeps the file's own. */
  readonly rateHz: number | null;
}

export interface ConvertedFile {
  /** A WAV file. */
  readonly blob: Blob;
  readonly format: AudioFormat;
  readonly fromHz: number;
}

const converter = question<Converting, Outcome<ConvertedFile>>(
  () => new Worker(new URL('./convert.worker.ts', import.meta.url), { type: 'module' }),
);

/** Converts a file in a worker of its own; rejects with an AbortError when stopped. */
export function convertFile(
  file: File,
  rateHz: number | null,
  signal: AbortSignal,
  progress: (share: number) => void,
): Promise<Outcome<ConvertedFile>> {
  return ask(converter, { file, rateHz }, { signal, progress });
}
