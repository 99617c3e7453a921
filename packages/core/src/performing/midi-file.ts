import midi from '@tonejs/midi';
import type { Tempo } from '../moves/tempo.ts';
import { failure, success, type Outcome } from '../outcome.ts';

const { max, min } = Math;

/** A note as it is written: in beats, quarter notes from the beginning of the file. */
export interface WrittenNote {
  readonly beat: number;
  readonly beats: number;
  /** Number of its key, 69 the A over middle C. */
  readonly key: number;
  /** 0 to 1. */
  readonly strength: number;
}

export interface WrittenLine {
  readonly name: string;
  /** In their order. */
  readonly notes: readonly WrittenNote[];
}

/** What a Standard MIDI File has written down. */
export interface WrittenNotes {
  readonly tempo: Tempo;
  /** Only those that have notes. */
  readonly lines: readonly WrittenLine[];
}

export const mostMidiBytes = 4_000_000;
const mostNotes = 50_000;
/** Where a file says nothing (Standard MIDI Files 1.0). */
const usualBpm = 120;

/** Reads a Standard MIDI File of format 0 or 1 whose time is counted in beats. */
export function readMidiFile(bytes: Uint8Array, fileName: string): Outcome<WrittenNotes> {
  const refuse = (why: string) => failure('bad-midi', `“${fileName}” ${why}`);
  if (bytes.length > mostMidiBytes) return refuse('is larger than 4 MB, the most for a MIDI file.');
  // The division's highest bit tells frames of a film from parts of a beat (Standard MIDI Files 1.0).
  if (bytes.length > 12 && bytes[12] >= 128)
    return refuse('counts its time in film frames; Pannet reads files that count in beats.');
  let file: InstanceType<typeof midi.Midi>;
  try {
    file = new midi.Midi(bytes);
  } catch {
    return refuse('is no Standard MIDI File, or a broken one.');
  }
  const { ppq, tempos } = file.header;
  const lines = file.tracks
    .filter(({ notes }) => notes.length > 0)
    .map(({ name, notes }, n): WrittenLine => ({
      name: name.replaceAll('\0', '').trim().slice(0, 80) || `line ${n + 1}`,
      notes: notes
        .map(({ ticks, durationTicks, midi: key, velocity }) => ({
          beat: ticks / ppq,
          beats: durationTicks / ppq,
          key,
          strength: min(1, max(0, velocity)),
        }))
        .sort((a, b) => a.beat - b.beat || a.key - b.key),
    }));
  if (lines.length === 0) return refuse('has no notes in it.');
  if (lines.some(({ notes }) => notes.length > mostNotes))
    return refuse(`has more than ${mostNotes} notes in one line.`);
  // A beat is a quarter note here; two tempos at one place are the later one.
  const changes: { atS: number; bpm: number; beatsPerBar: number }[] = [];
  const beatsPerBar = min(32, max(1, file.header.timeSignatures[0]?.timeSignature[0] ?? 4));
  for (const { bpm, time = 0 } of [...tempos].sort((a, b) => a.ticks - b.ticks)) {
    if (changes.length > 0 && changes[changes.length - 1].atS >= time) changes.pop();
    changes.push({ atS: time, bpm, beatsPerBar });
  }
  if (changes.length === 0 || changes[0].atS > 0)
    changes.unshift({ atS: 0, bpm: usualBpm, beatsPerBar });
  return success({ tempo: changes, lines });
}
