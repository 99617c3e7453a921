import { formatOf } from '@pannet/core/formats/audio-format';
import { readWavLayout } from '@pannet/core/formats/wav-read';
import { success, type Outcome } from '@pannet/core/outcome';
import type { Edit } from '@pannet/core/song/edits/edit';
import { figure } from '@pannet/core/quantities/wording';
import { newPart, type Family, type Recording, type Song } from '@pannet/core/song/song';
import { isReallyMono } from '@pannet/core/sources/facts';
import { uploadOriginal, uploadRecording } from '../api/recordings.ts';
import { bytesOfFile } from './bytes-of-file.ts';
import { convertFile } from './convert-file.ts';
import { factsSentence } from './facts-sentence.ts';

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

/** Words in file names that tell a family: common practice of naming stems. */
const familyWords: readonly (readonly [Family, RegExp])[] = [
  ['voice', /vo[cx]|sing|hum|choir|lead/i],
  ['low', /bass|sub|low/i],
  ['struck', /drum|perc|clap|tamb|shak|snare|kick/i],
  ['plucked', /g(ui)?ta?r|harp|pluck|mandol|banjo/i],
  ['bowed', /string|bow|cell|viol|fiddle/i],
  ['keys', /key|piano|organ|reed|synth/i],
];

export function guessFamily(fileName: string): Family {
  return familyWords.find(([, words]) => words.test(fileName))?.[0] ?? 'other';
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

export interface Placed {
  readonly edits: readonly Edit[];
  readonly sentence: string;
}

/**
 * Where a recording goes: a mono one becomes a part, and a stereo one that is really mono, too; the first that is really
 * stereo becomes the bed, a further one a part from its left channel.
 */
export function placeRecording(song: Song, recording: Recording, partId: string): Placed {
  const edits: Edit[] = [];
  if (song.rateHz === null) edits.push({ kind: 'set-rate', rateHz: recording.rateHz });
  if (!song.recordings[recording.hash]) edits.push({ kind: 'put-recording', recording });
  const stereo = recording.channels === 2 && !(recording.facts && isReallyMono(recording.facts));
  const what = `${factsSentence(recording)}${originText(recording)}`;
  if (stereo && song.bed === null) {
    edits.push({ kind: 'set-bed', bed: { recording: recording.hash, levelDb: 0 } });
    return { edits, sentence: `“${recording.fileName}” is the bed. ${what}` };
  }
  const name = recording.fileName.replace(/\.[^.]*$/, '').slice(0, 80) || 'Part';
  const takes = [{ recording: recording.hash, channel: 0 }];
  const part = newPart(partId, name, guessFamily(recording.fileName), takes);
  edits.push({ kind: 'add-part', part, index: song.partOrder.length });
  const became = recording.channels === 2 ? 'Its left channel became a part' : 'It became a part';
  const why = stereo ? ', since there is a bed' : '';
  return { edits, sentence: `“${recording.fileName}”: ${became}${why}. ${what}` };
}

/** Where a converted recording came from, as a further sentence. */
export function originText({ original, rateHz }: Recording): string {
  if (!original) return '';
  const { fileName, format, rateHz: fromHz } = original;
  const rates =
    fromHz === rateHz
      ? ''
      : `, from ${figure(fromHz / 1000, 1)} to ${figure(rateHz / 1000, 1)} kHz`;
  return ` Converted from ${format}${rates}; “${fileName}” is kept as it came.`;
}
