import { formatOf } from '@pannet/core/formats/audio-format';
import { readWavLayout } from '@pannet/core/formats/wav-read';
import { success, type Outcome } from '@pannet/core/outcome';
import type { Recording } from '@pannet/core/song/song';
import { uploadOriginal, uploadRecording } from '../api/recordings.ts';
import { bytesOfFile } from './bytes-of-file.ts';
import { convertFile } from './convert-file.ts';

export interface ImportStep {
  readonly file: File;
  readonly fileName: string;
  readonly doing: 'converting' | 'uploading';
  readonly share: number;
}

/** How a file fared: what became of it, or why it was not taken. */
export interface ImportOutcome {
  readonly fileName: string;
  readonly taken: boolean;
  readonly sentence: string;
}

/** The rate of a WAV file that can be played as it is; its sentence if it is broken; null for another format. */
async function wavRate(file: File): Promise<Outcome<number> | null> {
  const source = bytesOfFile(file);
  const format = formatOf(await source.read(0, Math.min(16, file.size)));
  if (format !== null && format !== 'WAV') return null;
  const layout = await readWavLayout(source, file.name);
  return layout.ok ? success(layout.value.rateHz) : layout;
}

/**
 * Checks and uploads a file, converted if it is not a WAV at the song's rate; then the file as it came is kept, too.
 * What cannot be read is said before anything is sent. Throws an AbortError when stopped.
 * @param rateHz the song's; null if it has none yet
 */
export async function keepFile(
  file: File,
  rateHz: number | null,
  signal: AbortSignal,
  progress: (step: Omit<ImportStep, 'file'>) => void,
): Promise<Recording | ImportOutcome> {
  const fileName = file.name;
  const tell = (doing: ImportStep['doing']) => (share: number) =>
    progress({ fileName, doing, share });
  tell('uploading')(0);
  const wav = await wavRate(file);
  if (wav && !wav.ok) return { fileName, taken: false, sentence: wav.error.sentence };
  if (wav && (rateHz === null || wav.value === rateHz))
    return uploadRecording(file, signal, tell('uploading'));
  const made = await convertFile(file, rateHz, signal, tell('converting'));
  if (!made.ok) return { fileName, taken: false, sentence: made.error.sentence };
  const { blob, format, fromHz } = made.value;
  const original = await uploadOriginal(file, signal, tell('uploading'));
  const converted = new File([blob], fileName.replace(/(\.[^.]*)?$/, '.wav'));
  const recording = await uploadRecording(converted, signal, tell('uploading'));
  return { ...recording, original: { hash: original.hash, fileName, format, rateHz: fromHz } };
}
