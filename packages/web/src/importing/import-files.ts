import { readWavLayout } from '@pannet/core/formats/wav-read';
import type { Edit } from '@pannet/core/song/edits';
import { newPart, type Family, type Recording, type Song } from '@pannet/core/song/song';
import { uploadRecording } from '../api/recordings.ts';

export interface ImportStep {
  readonly fileName: string;
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

/** A header is read here first, so that what cannot be read is said before anything is sent. */
export async function checkFile(file: File): Promise<string | null> {
  const source = {
    size: file.size,
    read: async (offset: number, length: number) =>
      new Uint8Array(await file.slice(offset, offset + length).arrayBuffer()),
  };
  const layout = await readWavLayout(source, file.name);
  return layout.ok ? null : layout.error.sentence;
}

/** Checks and uploads a file. Throws an AbortError when stopped. */
export async function keepFile(
  file: File,
  signal: AbortSignal,
  progress: (step: ImportStep) => void,
): Promise<Recording | ImportOutcome> {
  progress({ fileName: file.name, share: 0 });
  const wrong = await checkFile(file);
  if (wrong) return { fileName: file.name, taken: false, sentence: wrong };
  return uploadRecording(file, signal, (share) => progress({ fileName: file.name, share }));
}

export interface Placed {
  readonly edits: readonly Edit[];
  readonly sentence: string;
}

/**
 * Where a recording goes: a mono one becomes a part; the first stereo one becomes the bed, a further one a part from its
 * left channel.
 */
export function placeRecording(song: Song, recording: Recording, partId: string): Placed {
  const edits: Edit[] = [];
  if (song.rateHz === null) edits.push({ kind: 'set-rate', rateHz: recording.rateHz });
  if (!song.recordings[recording.hash]) edits.push({ kind: 'put-recording', recording });
  if (recording.channels === 2 && song.bed === null) {
    edits.push({ kind: 'set-bed', bed: { recording: recording.hash, levelDb: 0 } });
    return { edits, sentence: `“${recording.fileName}” is stereo: it is the bed.` };
  }
  const name = recording.fileName.replace(/\.[^.]*$/, '').slice(0, 80) || 'Part';
  const takes = [{ recording: recording.hash, channel: 0 }];
  const part = newPart(partId, name, guessFamily(recording.fileName), takes);
  edits.push({ kind: 'add-part', part, index: song.partOrder.length });
  return {
    edits,
    sentence:
      recording.channels === 2
        ? `“${recording.fileName}” is stereo and there is a bed: its left channel became a part.`
        : `“${recording.fileName}” became a part.`,
  };
}
