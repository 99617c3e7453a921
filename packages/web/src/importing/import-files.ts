import { formatOf } from '@pannet/core/formats/audio-format';
import { readWavLayout } from '@pannet/core/formats/wav-read';
import { success, type Outcome } from '@pannet/core/outcome';
import type { Recording } from '@pannet/core/song/song';
import { uploadOriginal, uploadRecording } from '../api/recordings.ts';
import { bytesOfFile } from './bytes-of-file.ts';
import { convertFile, type ConvertedFile } from './convert-file.ts';

export interface ImportStep {
  readonly file: File;
  readonly fileName: string;
  readonly doing: 'converting' | 'reading' | 'sending';
  readonly share: number;
  /** Why it is tried again; left out where it goes on. */
  readonly because?: string;
}

/** How a file fared: what became of it, or why it was not taken. */
export interface ImportOutcome {
  readonly fileName: string;
  readonly taken: boolean;
  readonly sentence: string;
}

/** A file that can be played: as it came, or what was made of it. */
export interface Playable {
  /** A WAV file, at the rate that was asked for. */
  readonly wav: File;
  /** What it was made from, which is kept as well; null where that is itself. */
  readonly from: Pick<ConvertedFile, 'format' | 'fromHz'> | null;
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
 * Checks a file, and converts it where it is not a WAV at the song's rate. What cannot be read is said. Throws an AbortError
 * when stopped.
 * @param rateHz the song's; null if it has none yet
 * @param tell told the share that is converted
 */
export async function playable(
  file: File,
  rateHz: number | null,
  signal: AbortSignal,
  tell: (share: number) => void,
): Promise<Outcome<Playable>> {
  const wav = await wavRate(file);
  if (wav && !wav.ok) return wav;
  if (wav && (rateHz === null || wav.value === rateHz)) return success({ wav: file, from: null });
  const made = await convertFile(file, rateHz, signal, tell);
  if (!made.ok) return made;
  const { blob, ...from } = made.value;
  const name = file.name.replace(/(\.[^.]*)?$/, '.wav');
  return success({ wav: new File([blob], name), from });
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
  tell('sending')(0);
  const made = await playable(file, rateHz, signal, tell('converting'));
  if (!made.ok) return { fileName, taken: false, sentence: made.error.sentence };
  const { wav, from } = made.value;
  if (!from) return uploadRecording(wav, signal, tell('sending'));
  const { format, fromHz } = from;
  const original = await uploadOriginal(file, signal, tell('sending'));
  const recording = await uploadRecording(wav, signal, tell('sending'));
  return { ...recording, original: { hash: original.hash, fileName, format, rateHz: fromHz } };
}
