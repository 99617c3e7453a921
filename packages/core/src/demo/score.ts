import { pitchHz, type Note } from '../performing/note.ts';

/** "The Lantern Ferry", sixteen bars in D minor: made up for Pannet. */
export const demoRateHz = 48_000;
export const beatsPerMinute = 100;
export const secondsPerBeat = 60 / beatsPerMinute;
export const beatsPerBar = 4;
const bars = 16;
/** Sixteen bars and room for the last notes to die away. */
export const demoSeconds = bars * beatsPerBar * secondsPerBeat + 1.6;
export const demoFrames = Math.round(demoSeconds * demoRateHz);
export const demoTape = { rateHz: demoRateHz, frames: demoFrames };

/** Roots and chords of the four-bar turn: D minor, B flat, F, C. */
const roots = [38, 34, 41, 36];
const chords = [
  [62, 65, 69],
  [58, 62, 65],
  [60, 65, 69],
  [60, 64, 67],
];

function note(bar: number, beat: number, beats: number, midi: number, strength = 0.8): Note {
  return {
    startSeconds: (bar * beatsPerBar + beat) * secondsPerBeat,
    seconds: beats * secondsPerBeat,
    hz: pitchHz(midi),
    strength,
  };
}

function everyBar(from: number, to: number, write: (bar: number, turn: number) => Note[]): Note[] {
  return Array.from({ length: to - from }, (_, n) => write(from + n, (from + n) % 4)).flat();
}

/** Beats, lengths and pitches of the hummed tune, four bars long. */
const tune: readonly (readonly [bar: number, beat: number, beats: number, midi: number])[] = [
  [0, 0, 1.5, 69],
  [0, 1.5, 0.5, 67],
  [0, 2, 1.8, 65],
  [1, 0, 1, 62],
  [1, 1, 1, 65],
  [1, 2, 1.8, 70],
  [2, 0, 1.5, 69],
  [2, 1.5, 0.5, 72],
  [2, 2, 1.8, 69],
  [3, 0, 1, 67],
  [3, 1, 1, 64],
  [3, 2, 1.6, 67],
];

/** The strummed chords come in with the second verse and stay. */
export const strumsFrom = 8;
export const strumsTo = bars;
/** So long after one string of a chord the next one is struck. */
const strumSeconds = 0.011;

export const score = {
  hum: [4, 8, 12].flatMap((start) =>
    tune.map(([bar, beat, beats, midi]) => note(start + bar, beat, beats, midi)),
  ),
  plucked: everyBar(0, bars, (bar, turn) =>
    [0, 1, 2, 1, 2, 0, 1, 2].map((tone, n) =>
      note(bar, n / 2, 1.4, chords[turn][tone], n % 4 === 0 ? 0.9 : 0.6),
    ),
  ),
  bowed: everyBar(0, bars, (bar, turn) => [note(bar, 0, 3.8, roots[turn])]),
  reeds: everyBar(2, bars, (bar, turn) =>
    chords[turn].flatMap((midi) => [note(bar, 0, 1.8, midi, 0.7), note(bar, 2.5, 1.3, midi, 0.6)]),
  ),
  drum: everyBar(1, bars, (bar) => [
    note(bar, 0, 1, 45, 1),
    note(bar, 1.5, 0.5, 52, 0.5),
    note(bar, 2, 1, 45, 0.8),
    note(bar, 3, 0.5, 52, 0.6),
    note(bar, 3.5, 0.5, 57, 0.4),
  ]),
  bells: everyBar(0, bars, (bar, turn) =>
    bar % 2 === 0
      ? [note(bar, 2, 3, chords[turn][2] + 12, 0.7), note(bar, 3, 3, chords[turn][1] + 24, 0.5)]
      : [note(bar, 1, 3, chords[turn][0] + 24, 0.6)],
  ),
  lute: everyBar(4, bars, (bar, turn) => [
    note(bar, 0, 1.4, roots[turn] + 12, 0.9),
    note(bar, 1.5, 0.5, roots[turn] + 12, 0.6),
    note(bar, 2, 0.9, roots[turn] + 19, 0.7),
    note(bar, 3, 0.9, roots[turn] + 24, 0.65),
  ]),
  strums: everyBar(strumsFrom, strumsTo, (bar, turn) =>
    [0, 1.5, 2.5].flatMap((beat, stroke) =>
      [...chords[turn].map((midi) => midi - 12), chords[turn][0]].map((midi, string) => {
        const struck = note(bar, beat, 1.2, midi, stroke === 0 ? 0.8 : 0.55);
        return { ...struck, startSeconds: struck.startSeconds + string * strumSeconds };
      }),
    ),
  ),
  pad: everyBar(0, bars, (bar, turn) =>
    chords[turn].map((midi) => note(bar, 0, 4, midi - 12, 0.5)),
  ),
};
