import { barsAt, secondsAtBar, tempoAt, type Tempo } from './tempo.ts';

const { floor, max, min, round } = Math;

/** Beats are parted into so many: sixteenths, where a beat is a quarter. */
export const partsOfBeat = 4;
/** What is left of a sixteenth is told in hundredths. */
const hundredths = 100;

/** In how many of the smallest steps a bar is told that begins at a time. */
const stepsAt = (tempo: Tempo, barAtS: number) =>
  tempoAt(tempo, barAtS + 1e-9).beatsPerBar * partsOfBeat * hundredths;

/** A time by bars: “17” is where a bar begins, “17.3” its third beat, “17.3.2” the second sixteenth of that, “17.3.2.50” half a sixteenth later. */
export function barPlace(tempo: Tempo, seconds: number): string {
  const bars = barsAt(tempo, max(0, seconds));
  // What lies a rounding before a bar is that bar.
  let bar = floor(bars + 1e-9);
  const steps = stepsAt(tempo, secondsAtBar(tempo, bar));
  let step = round(max(0, bars - bar) * steps);
  if (step >= steps) [bar, step] = [bar + 1, 0];
  const rest = step % hundredths;
  const sixteenth = floor(step / hundredths) % partsOfBeat;
  const beat = floor(step / hundredths / partsOfBeat);
  const words = [bar + 1, beat + 1, sixteenth + 1].map(String);
  if (rest > 0) return [...words, String(rest).padStart(2, '0')].join('.');
  while (words.length > 1 && words[words.length - 1] === '1') words.pop();
  return words.join('.');
}

/** The time of a place by bars, in s; null for what is none: bars from 1, beats and sixteenths from 1 to as many as there are. */
export function secondsOfBarPlace(tempo: Tempo, text: string): number | null {
  if (!/^\s*\d{1,5}(\.\d{1,3}){0,3}\s*$/.test(text)) return null;
  const [bar, beat = 1, sixteenth = 1, rest = 0] = text.split('.').map(Number);
  if (bar < 1) return null;
  const { beatsPerBar } = tempoAt(tempo, secondsAtBar(tempo, bar - 1) + 1e-9);
  if (beat < 1 || beat > beatsPerBar) return null;
  if (sixteenth < 1 || sixteenth > partsOfBeat || rest >= hundredths) return null;
  const beats = beat - 1 + (sixteenth - 1 + rest / hundredths) / partsOfBeat;
  return secondsAtBar(tempo, bar - 1 + beats / beatsPerBar);
}

/** A time so many sixteenths later, by the tempo that holds there; not before the beginning. */
export function sixteenthsLater(tempo: Tempo, seconds: number, count: number): number {
  const { bpm } = tempoAt(tempo, seconds);
  return max(0, seconds + (count * 60) / bpm / partsOfBeat);
}

/** A time so many bars later. */
export function barsLater(tempo: Tempo, seconds: number, count: number): number {
  return secondsAtBar(tempo, max(0, min(1e6, barsAt(tempo, seconds) + count)));
}
