import * as z from 'zod';
import { group, thing, type Described } from '../parameters/description.ts';
import { tempoParameters } from '../parameters/tables.ts';

/** A tempo that holds from a time on, in seconds. */
const tempoChange = thing({
  atS: z.number().min(0, { error: 'A tempo holds from 0 s on, or later.' }),
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

/** Beats from the beginning of the song to a time at or after it, fractional. */
export function beatsAt(tempo: Tempo, seconds: number): number {
  let beats = 0;
  for (const [n, { atS, bpm }] of tempo.entries()) {
    const until = Math.min(seconds, tempo[n + 1]?.atS ?? Infinity);
    if (until <= atS) break;
    beats += ((until - atS) * bpm) / 60;
  }
  return beats;
}

/** Seconds from the beginning of the song to a beat at or after it: the other way round. */
export function secondsAtBeat(tempo: Tempo, beat: number): number {
  let before = 0;
  for (const [n, { atS, bpm }] of tempo.entries()) {
    const next = tempo[n + 1]?.atS ?? Infinity;
    const seconds = atS + ((beat - before) * 60) / bpm;
    if (seconds <= next) return seconds;
    before += ((next - atS) * bpm) / 60;
  }
  return 0;
}
