import { parseMidi, type MidiData, type MidiEvent } from 'midi-file';
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
const maxNotesPerLine = 50_000;
/** Where a file says nothing (Standard MIDI Files 1.0). */
const usualBpm = 120;

/** An event and the ticks from the file's beginning to it. */
type Timed = MidiEvent & { readonly ticks: number };

/** Reads a Standard MIDI File of format 0 or 1 whose time is counted in beats. Takes time in proportion to the file. */
export function readMidiFile(bytes: Uint8Array, fileName: string): Outcome<WrittenNotes> {
  const refuse = (why: string) => failure('bad-midi', `“${fileName}” ${why}`);
  if (bytes.length > mostMidiBytes) return refuse('is larger than 4 MB, the most for a MIDI file.');
  // The division's highest bit tells frames of a film from parts of a beat (Standard MIDI Files 1.0).
  if (bytes.length > 12 && bytes[12] >= 128)
    return refuse('counts its time in film frames; Pannet reads files that count in beats.');
  let file: MidiData;
  try {
    file = parseMidi(bytes);
  } catch {
    return refuse('is no Standard MIDI File, or a broken one.');
  }
  const { ticksPerBeat = 0, format } = file.header;
  if (ticksPerBeat < 1) return refuse('says that a beat has no length, so its notes have no time.');
  const tracks = file.tracks.map(timed);
  // The one track of format 0 holds all channels, each a line.
  const lines = (format === 0 ? tracks.flatMap(byChannel) : tracks)
    .map((events) => ({ name: nameOf(events), notes: notesOf(events, ticksPerBeat) }))
    .filter(({ notes }) => notes.length > 0)
    .map(({ name, notes }, n): WrittenLine => ({ name: name || `line ${n + 1}`, notes }));
  if (lines.length === 0) return refuse('has no notes in it.');
  if (lines.some(({ notes }) => notes.length > maxNotesPerLine))
    return refuse(`has more than ${maxNotesPerLine} notes in one line.`);
  return success({ tempo: tempoOf(tracks.flat(), ticksPerBeat), lines });
}

function timed(events: readonly MidiEvent[]): Timed[] {
  let ticks = 0;
  return events.map((event) => ({ ...event, ticks: (ticks += event.deltaTime) }));
}

function byChannel(events: readonly Timed[]): Timed[][] {
  const channels = new Map<number, Timed[]>();
  for (const event of events) {
    if (!('channel' in event)) continue;
    const channel = channels.get(event.channel) ?? [];
    channels.set(event.channel, channel);
    channel.push(event);
  }
  return [...channels.entries()].sort(([a], [b]) => a - b).map(([, channel]) => channel);
}

function nameOf(events: readonly Timed[]): string {
  const named = events.find((event) => event.type === 'trackName');
  const name = named?.type === 'trackName' ? named.text : '';
  return name.replaceAll('\0', '').trim().slice(0, 80);
}

/** A note ends with the first end of its key after it that no earlier note of that key has taken. */
function notesOf(events: readonly Timed[], ticksPerBeat: number): WrittenNote[] {
  const notes: WrittenNote[] = [];
  const sounding = new Map<number, { begun: Timed[]; ended: number }>();
  for (const event of events) {
    if (event.type !== 'noteOn' && event.type !== 'noteOff') continue;
    const key = event.noteNumber;
    const held = sounding.get(key) ?? { begun: [], ended: 0 };
    sounding.set(key, held);
    if (event.type === 'noteOn') {
      held.begun.push(event);
      continue;
    }
    const begun = held.begun[held.ended];
    if (begun?.type !== 'noteOn') continue;
    held.ended++;
    notes.push({
      beat: begun.ticks / ticksPerBeat,
      beats: (event.ticks - begun.ticks) / ticksPerBeat,
      key,
      strength: min(1, max(0, begun.velocity / 127)),
    });
  }
  return notes.sort((a, b) => a.beat - b.beat || a.key - b.key);
}

/** A beat is a quarter note here; two tempos at one place are the later one. */
function tempoOf(events: readonly Timed[], ticksPerBeat: number): Tempo {
  const metre = events.find((event) => event.type === 'timeSignature');
  const beatsPerBar = min(32, max(1, metre?.type === 'timeSignature' ? metre.numerator : 4));
  const changes: { atS: number; bpm: number; beatsPerBar: number }[] = [];
  let [ticks, atS, bpm] = [0, 0, usualBpm];
  const tempos = events.flatMap((event) => (event.type === 'setTempo' ? [event] : []));
  for (const event of tempos.sort((a, b) => a.ticks - b.ticks)) {
    atS += ((event.ticks - ticks) / ticksPerBeat) * (60 / bpm);
    ticks = event.ticks;
    bpm = 60e6 / max(1, event.microsecondsPerBeat);
    if (changes.length > 0 && changes[changes.length - 1].atS >= atS) changes.pop();
    changes.push({ atS, bpm, beatsPerBar });
  }
  if (changes.length === 0 || changes[0].atS > 0)
    changes.unshift({ atS: 0, bpm: usualBpm, beatsPerBar });
  return changes;
}
