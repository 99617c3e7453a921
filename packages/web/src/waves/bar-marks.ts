import { partsOfBeat as parts } from '@pannet/core/moves/bar-place';
import { barsAt, secondsAtBar, tempoAt, type Tempo } from '@pannet/core/moves/tempo';
import type { TimeView } from './time-view.ts';

/** A mark of a ruler in bars: where it lies, in seconds, and what stands there. */
export interface BarMark {
  readonly atS: number;
  readonly label: string;
  /** Whether a bar begins there. */
  readonly bar: boolean;
}

/** Bars that a ruler may go by. */
const bars = [1, 2, 4, 8, 16, 32, 64, 128, 256, 512, 1024];
const mostMarks = 200;

/**
 * Marks in bars, beats and sixteenths, at least so many pixels apart where it begins: “17” is a bar, “17.3” its third beat, “17.3.2” the second
 * sixteenth of that.
 */
export function barMarks(
  { from, to }: TimeView,
  rateHz: number,
  width: number,
  tempo: Tempo,
  apart = 64,
): readonly BarMark[] {
  const fromS = from / rateHz;
  const { bpm, beatsPerBar } = tempoAt(tempo, fromS);
  const secondsPerBar = (60 / bpm) * beatsPerBar;
  const least = (((to - from) / rateHz / Math.max(1, width)) * apart) / secondsPerBar;
  const step =
    [1 / beatsPerBar / parts, 1 / beatsPerBar, ...bars].find((one) => one >= least) ??
    bars[bars.length - 1];
  const marks: BarMark[] = [];
  const begin = Math.floor(barsAt(tempo, fromS));
  const end = barsAt(tempo, to / rateHz);
  for (let bar = step > 1 ? Math.floor(begin / step) * step : begin; bar < end;) {
    const atS = secondsAtBar(tempo, bar);
    // Each bar is parted by its own beats.
    const beats = tempoAt(tempo, atS + 1e-9).beatsPerBar;
    const inBar = step >= 1 ? 1 : step * beatsPerBar < 1 ? beats * parts : beats;
    for (let n = 0; n < inBar; n++) {
      const mark = secondsAtBar(tempo, bar + n / inBar);
      if (mark * rateHz >= from && mark * rateHz < to)
        marks.push({ atS: mark, label: labelOf(bar, n, inBar, beats), bar: n === 0 });
    }
    if (marks.length > mostMarks) break;
    bar += Math.max(1, step);
  }
  return marks;
}

function labelOf(bar: number, n: number, inBar: number, beats: number): string {
  const whole = String(bar + 1);
  if (n === 0) return whole;
  const perBeat = inBar / beats;
  const beat = Math.floor(n / perBeat) + 1;
  const sixteenth = (n % perBeat) + 1;
  return sixteenth === 1 ? `${whole}.${beat}` : `${whole}.${beat}.${sixteenth}`;
}
