import { secondsAtBeat, type Tempo } from '../moves/tempo.ts';
import { plural } from '../quantities/wording.ts';
import { seededRandom } from '../signal/random.ts';
import { bells, plucked, reeds, type Instrument } from './instruments.ts';
import type { WrittenLine } from './midi-file.ts';
import { pitchHz, type Note } from './note.ts';

const { abs, ceil, max, min, round } = Math;

/** The simulated instruments that notes are played on: ours, synthesised. */
export const simulatedInstruments = {
  plucked: { name: 'plucked string', family: 'plucked', play: plucked },
  struck: { name: 'struck glass', family: 'struck', play: bells },
  reed: { name: 'reed box', family: 'keys', play: reeds },
} as const satisfies Record<string, { name: string; family: string; play: Instrument }>;
export type SimulatedInstrument = keyof typeof simulatedInstruments;

/** How far a performance strays from the notes. */
export interface Straying {
  /** Onsets stray by up to so much. */
  readonly timingMs: number;
  readonly strengthPercent: number;
  readonly tuneCents: number;
  /** Every seed is another performance. */
  readonly seed: number;
}

/** How notes are played: exactly, or as somebody plays them once. */
export interface Performing extends Straying {
  /** Onsets are drawn to the nearest multiple of so many beats before they stray; null leaves them as written. */
  readonly gridBeats: number | null;
  /** Later (or earlier, under 0) by so many hundred-and-twenty-eighths of a whole note. */
  readonly shift128ths: number;
}

/** As it is written. */
export const plainly: Performing = {
  timingMs: 0,
  strengthPercent: 0,
  tuneCents: 0,
  gridBeats: null,
  shift128ths: 0,
  seed: 1,
};

/** Grids that notes are drawn to, in beats. */
export const grids = [
  { name: 'eighths', beats: 1 / 2 },
  { name: 'eighth triplets', beats: 1 / 3 },
  { name: 'sixteenths', beats: 1 / 4 },
  { name: 'thirty-seconds', beats: 1 / 8 },
] as const;

const beatsA128th = 4 / 128;
/** Notes that begin together are one gesture: they stray together, and by so much of the whole each for itself. */
const apart = 0.25;
const shortestSeconds = 0.02;

/** The notes where they are written: drawn to the grid and shifted, in seconds; what would begin before the song begins with it. */
function asWritten(
  line: WrittenLine,
  tempo: Tempo,
  { gridBeats, shift128ths }: Pick<Performing, 'gridBeats' | 'shift128ths'>,
): readonly Note[] {
  return line.notes.map(({ beat, beats, key, strength }) => {
    const drawn = gridBeats === null ? beat : round(beat / gridBeats) * gridBeats;
    const begin = max(0, drawn + shift128ths * beatsA128th);
    const startSeconds = secondsAtBeat(tempo, begin);
    const seconds = max(shortestSeconds, secondsAtBeat(tempo, begin + beats) - startSeconds);
    return { startSeconds, seconds, hz: pitchHz(key), strength };
  });
}

/** Notes as somebody plays them once: each a little early or late, louder or softer, sharp or flat. */
export function played(
  notes: readonly Note[],
  { timingMs, strengthPercent, tuneCents, seed }: Straying,
): readonly Note[] {
  const random = seededRandom(seed);
  /** −1 to 1, what is near the middle more often. */
  const stray = () => random() - random();
  let together = { startSeconds: -1, late: 0 };
  return notes.map(({ startSeconds, seconds, hz, strength }): Note => {
    if (startSeconds !== together.startSeconds) together = { startSeconds, late: stray() };
    const late = (1 - apart) * together.late + apart * stray();
    return {
      startSeconds: max(0, startSeconds + (timingMs / 1000) * late),
      seconds,
      hz: hz * 2 ** ((tuneCents * stray()) / 1200),
      strength: min(1, strength * (1 + (strengthPercent / 100) * stray())),
    };
  });
}

/** The notes as they sound in one performance. */
export function perform(line: WrittenLine, tempo: Tempo, how: Performing): readonly Note[] {
  return played(asWritten(line, tempo, how), how);
}

/** A shift that comes near the next place of the grid is no longer heard as late: a sentence, or null. */
export function shiftWarning(shift128ths: number, gridBeats: number | null): string | null {
  const grid = (gridBeats ?? 1 / 4) / beatsA128th;
  const size = abs(shift128ths);
  if (size < grid / 2) return null;
  const name = grids.find(({ beats }) => beats === (gridBeats ?? 1 / 4))?.name ?? 'the grid';
  const where = shift128ths > 0 ? 'late' : 'early';
  return size >= grid
    ? `Shifted by ${plural(size, '128th note')}: that reaches the grid of ${name}, so it is heard as another rhythm and not as ${where}.`
    : `Shifted by ${plural(size, '128th note')}: that is nearer to the next place on the grid of ${name} than to its own.`;
}

export const mostPerformedSeconds = 600;
const tailSeconds = 2;
/** Performances are as loud as recordings usually come. */
const peak = 0.5;

/** A sentence where notes go on for longer than is played; null where they do not. */
export function tooLongText(line: WrittenLine, tempo: Tempo): string | null {
  const seconds = lastSeconds(asWritten(line, tempo, plainly));
  return seconds <= mostPerformedSeconds
    ? null
    : `“${line.name}” is ${round(seconds / 60)} minutes long; the most is ${mostPerformedSeconds / 60}.`;
}

function lastSeconds(notes: readonly Note[]): number {
  return notes.reduce((last, { startSeconds, seconds }) => max(last, startSeconds + seconds), 0);
}

/** One performance of a line as sound, mono, its peak at −6 dB; as long as its last note and two seconds. */
export function performedTake(
  line: WrittenLine,
  tempo: Tempo,
  instrument: SimulatedInstrument,
  how: Performing,
  rateHz: number,
  tick?: (share: number) => void,
): Float32Array<ArrayBuffer> {
  const notes = perform(line, tempo, how);
  const frames = ceil((min(mostPerformedSeconds, lastSeconds(notes)) + tailSeconds) * rateHz);
  const heard = notes.filter(({ startSeconds }) => startSeconds < mostPerformedSeconds);
  const sound = simulatedInstruments[instrument].play(heard, how.seed, { rateHz, frames, tick });
  const highest = sound.reduce((most, value) => max(most, abs(value)), 1e-9);
  return Float32Array.from(sound, (value) => (peak * value) / highest);
}
