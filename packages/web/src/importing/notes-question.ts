import type { Outcome } from '@pannet/core/outcome';
import type { Tempo } from '@pannet/core/moves/tempo';
import type { WrittenLine, WrittenNotes } from '@pannet/core/performing/midi-file';
import type { Performing, SimulatedInstrument } from '@pannet/core/performing/performance';
import { question } from '../workers/ask.ts';

const start = () => new Worker(new URL('./notes.worker.ts', import.meta.url), { type: 'module' });

/** A file of notes to be read, or a line of one to be played. */
export type NotesRequest =
  | { readonly kind: 'read'; readonly file: File }
  | {
      readonly kind: 'play';
      readonly line: WrittenLine;
      readonly tempo: Tempo;
      readonly instrument: SimulatedInstrument;
      /** One take each. */
      readonly takes: readonly Performing[];
      readonly rateHz: number;
    };

export const readingNotes = question<NotesRequest, Outcome<WrittenNotes>>(start);
/** WAV files, 24 bit, mono. */
export const playingNotes = question<NotesRequest, readonly Uint8Array<ArrayBuffer>[]>(start);
