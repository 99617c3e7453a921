import * as z from 'zod';
import { group, positiveZero, thing, type Described } from '../parameters/description.ts';
import { tempoParameters } from '../parameters/tables.ts';

/** A tempo that holds from a time on, in seconds. */
const tempoChange = thing({
  atS: z.number().min(0, { error: 'A tempo holds from 0 s on, or later.' }).overwrite(positiveZero),
  ...group(tempoParameters),
});

/** The tempo along the song: the first one holds from the beginning, and each until the next. */
export const tempoDescription = z
  .array(tempoChange)
  .min(1, { error: 'A tempo map has at least one tempo.' })
  .max(2000)
  .superRefine((changes, context) => {
    for (const [n, { atS }] of changes.entries())
      if (n === 0 ? atS !== 0 : atS <= changes[n - 1].atS)
        context.addIssue({
          code: 'custom',
          path: [n, 'atS'],
          params: { code: 'bad-order' },
          message:
            n === 0
              ? `The first tempo holds from 0 s; it was from ${atS} s.`
              : `Each tempo holds from later than the one before (${changes[n - 1].atS} s); it was from ${atS} s.`,
        });
  });
export type Tempo = Described<typeof tempoDescription>;

/** What counts where a song has no tempo of its own. */
export const usualTempo = tempoDescription.parse([{ atS: 0 }]);

type TempoChange = Tempo[number];

const beatsASecond = ({ bpm }: TempoChange) => bpm / 60;
const barsASecond = ({ bpm, beatsPerBar }: TempoChange) => bpm / 60 / beatsPerBar;

/** What a tempo map has counted up to a time, fractional. */
function counted(tempo: Tempo, seconds: number, aSecond: (change: TempoChange) => number): number {
  let count = 0;
  for (const [n, change] of tempo.entries()) {
    const until = Math.min(seconds, tempo[n + 1]?.atS ?? Infinity);
    if (until <= change.atS) break;
    count += (until - change.atS) * aSecond(change);
  }
  return count;
}

/** When it has counted so far: the other way round. */
function whenCounted(
  tempo: Tempo,
  count: number,
  aSecond: (change: TempoChange) => number,
): number {
  let before = 0;
  for (const [n, change] of tempo.entries()) {
    const next = tempo[n + 1]?.atS ?? Infinity;
    const seconds = change.atS + (count - before) / aSecond(change);
    if (seconds <= next) return seconds;
    before += (next - change.atS) * aSecond(change);
  }
  return 0;
}

/** Beats from the beginning of the song to a time at or after it, fractional. */
export function beatsAt(tempo: Tempo, seconds: number): number {
  return counted(tempo, seconds, beatsASecond);
}

/** Seconds from the beginning of the song to a beat at or after it: the other way round. */
export function secondsAtBeat(tempo: Tempo, beat: number): number {
  return whenCounted(tempo, beat, beatsASecond);
}

/** Bars from the beginning of the song to a time at or after it, fractional: 0 is where bar 1 begins. */
export function barsAt(tempo: Tempo, seconds: number): number {
  return counted(tempo, seconds, barsASecond);
}

/** Seconds from the beginning of the song to so many bars after it. */
export function secondsAtBar(tempo: Tempo, bars: number): number {
  return whenCounted(tempo, bars, barsASecond);
}

/** The tempo that holds at a time. */
export function tempoAt(tempo: Tempo, seconds: number): TempoChange {
  return tempo.findLast(({ atS }) => atS <= seconds) ?? tempo[0];
}
