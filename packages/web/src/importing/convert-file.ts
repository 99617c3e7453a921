import type { AudioFormat } from '@pannet/core/formats/audio-format';
import type { Failure, Outcome } from '@pannet/core/outcome';

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

export type FromConverter =
  | { readonly kind: 'progress'; readonly share: number }
  | { readonly kind: 'converted'; readonly converted: ConvertedFile }
  | { readonly kind: 'refused'; readonly failure: Failure };

/** Converts a file in a worker of its own, which ends with it; stopping ends the worker. Throws an AbortError then. */
export function convertFile(
  file: File,
  rateHz: number | null,
  signal: AbortSignal,
  progress: (share: number) => void,
): Promise<Outcome<ConvertedFile>> {
  const worker = new Worker(new URL('./convert.worker.ts', import.meta.url), { type: 'module' });
  return new Promise<Outcome<ConvertedFile>>((resolve, reject) => {
    const stop = () => reject(new DOMException('Stopped.', 'AbortError'));
    if (signal.aborted) stop();
    signal.addEventListener('abort', stop, { once: true });
    worker.onerror = (event) => reject(new Error(event.message));
    worker.onmessage = ({ data }: MessageEvent<FromConverter>) => {
      if (data.kind === 'progress') progress(data.share);
      else if (data.kind === 'converted') resolve({ ok: true, value: data.converted });
      else resolve({ ok: false, error: data.failure });
    };
    worker.postMessage({ file, rateHz } satisfies Converting);
  }).finally(() => worker.terminate());
}
