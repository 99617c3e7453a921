import { ampDescription } from '../amps/amp.ts';
import { wavFile } from '../formats/wav-write.ts';
import { neutralImage } from '../image/image.ts';
import { neutralStage } from '../image/stage.ts';
import { findRecipe } from '../image/recipes.ts';
import { takeRecipes } from '../image/take-recipes.ts';
import { newVoice } from '../voices/voice.ts';
import type { Edit } from '../song/edits/edit.ts';
import { newPart, type Family, type Recording } from '../song/song.ts';
import {
  bells,
  bowed,
  drum,
  hum,
  pad,
  plucked,
  reeds,
  shaker,
  type Instrument,
} from '../performing/instruments.ts';
import type { Note } from '../performing/note.ts';
import { togetherEdits } from './together.ts';
import { linedUpTakes, strummedCount, strummedFile, strummedTakes } from './strummed.ts';
import { beatsPerBar, beatsPerMinute, demoFrames, demoRateHz, demoTape, score } from './score.ts';

// Taken out of `Math` once: looked up in a loop it is slow where globals are guarded, as under the test runner.
const { abs, max } = Math;

export interface DemoRecording {
  readonly fileName: string;
  /** Synthesises it: a WAV file. */
  readonly bytes: () => Uint8Array;
}

interface DemoPart {
  readonly name: string;
  readonly family: Family;
  readonly fileName: string;
  readonly instrument: Instrument;
  readonly notes: readonly Note[];
  readonly peakDb: number;
  readonly levelDb: number;
  /** Wide from the start. */
  readonly recipe?: string;
}

export const demoTitle = 'The Lantern Ferry';

const parts: readonly DemoPart[] = [
  {
    name: 'Hum',
    family: 'voice',
    fileName: 'hum.wav',
    instrument: hum,
    notes: score.hum,
    peakDb: -6,
    levelDb: 0,
  },
  {
    name: 'Wire harp',
    family: 'plucked',
    fileName: 'wire-harp.wav',
    instrument: plucked,
    notes: score.plucked,
    peakDb: -6,
    levelDb: -3,
  },
  {
    name: 'Long bow',
    family: 'bowed',
    fileName: 'long-bow.wav',
    instrument: bowed,
    notes: score.bowed,
    peakDb: -8,
    levelDb: -2,
  },
  {
    name: 'Reed box',
    family: 'keys',
    fileName: 'reed-box.wav',
    instrument: reeds,
    notes: score.reeds,
    peakDb: -9,
    levelDb: -5,
    recipe: 'tuned-doubles',
  },
  {
    name: 'Frame drum',
    family: 'struck',
    fileName: 'frame-drum.wav',
    instrument: drum,
    notes: score.drum,
    peakDb: -6,
    levelDb: -3,
  },
  {
    name: 'Glass bells',
    family: 'other',
    fileName: 'glass-bells.wav',
    instrument: bells,
    notes: score.bells,
    peakDb: -8,
    levelDb: -7,
  },
];

/** One clean performance, through two unlike chains. */
const chained = {
  name: 'Deep lute',
  fileName: 'deep-lute.wav',
  image: {
    voices: [
      newVoice('v1', 'left chain', {
        placement: { kind: 'pan', panPercent: -100 },
        amp: ampDescription.parse({
          driveDb: 10,
          tone: { midDb: 2, midHz: 700 },
          squashPercent: 25,
          levelDb: -7,
          cabinet: { kind: 'small-open-backed', acrossPercent: 20, distanceCm: 8 },
        }),
      }),
      newVoice('v2', 'right chain', {
        placement: { kind: 'pan', panPercent: 100 },
        amp: ampDescription.parse({
          driveDb: 14,
          shape: 'uneven',
          tone: { lowDb: 2, highDb: 3 },
          squashPercent: 15,
          levelDb: -8,
          cabinet: { kind: 'squat-four-cone', acrossPercent: 45, distanceCm: 4 },
        }),
      }),
    ],
    stage: neutralStage,
  },
} as const;

const bedFile = 'rough-mix.wav';
const bedLevelDb = -6;

/** Four performances of strummed chords, left and right in turn. */
const behind = takeRecipes.find(({ id }) => id === 'second-pair-behind') ?? takeRecipes[0];

function strummed(): readonly Float32Array[] {
  return strummedTakes().map((line) => atPeak(line, -8));
}

/** All recordings of the demo song: 48 kHz, 24 bit. */
export function* demoRecordings(): Generator<DemoRecording> {
  const file = (fileName: string, sounds: () => readonly Float32Array[]) => ({
    fileName,
    bytes: () => wavFile(sounds(), demoRateHz, '24'),
  });
  for (const [n, { fileName, instrument, notes, peakDb }] of parts.entries())
    yield file(fileName, () => [atPeak(instrument(notes, 100 + n, demoTape), peakDb)]);
  const takes = once(strummed);
  for (let n = 0; n < strummedCount; n++) yield file(strummedFile(n), () => [takes()[n]]);
  yield file(chained.fileName, () => [atPeak(plucked(score.lute, 90, demoTape), -7)]);
  yield file(bedFile, bed);
}

function once<Made>(make: () => Made): () => Made {
  let made: Made | undefined;
  return () => (made ??= make());
}

/** The edits that make an empty song the demo song, once its recordings are kept. */
export async function demoEdits(recordings: readonly Recording[]): Promise<Edit[]> {
  const hashOf = (fileName: string) => {
    const recording = recordings.find((candidate) => candidate.fileName === fileName);
    if (!recording) throw new Error(`The demo song lacks ${fileName}.`);
    return recording.hash;
  };
  const sounds = strummed();
  const takes = await linedUpTakes(
    sounds.map((_, n) => hashOf(strummedFile(n))),
    sounds,
  );
  return [
    { kind: 'set-rate', rateHz: demoRateHz },
    { kind: 'set-tempo', tempo: [{ atS: 0, bpm: beatsPerMinute, beatsPerBar }] },
    ...recordings.map((recording): Edit => ({ kind: 'put-recording', recording })),
    ...parts.map((part, index): Edit => ({
      kind: 'add-part',
      index,
      part: newPart(
        part.fileName.replace('.wav', ''),
        part.name,
        part.family,
        [{ recording: hashOf(part.fileName), channel: 0 }],
        {
          levelDb: part.levelDb,
          image: (part.recipe && findRecipe(part.recipe)?.image) || neutralImage(),
        },
      ),
    })),
    {
      kind: 'add-part',
      index: parts.length,
      part: newPart('lap-strings', 'Lap strings', 'plucked', takes, {
        levelDb: -9,
        image: behind.image(takes.length),
      }),
    },
    {
      kind: 'add-part',
      index: parts.length + 1,
      part: newPart(
        'deep-lute',
        chained.name,
        'plucked',
        [{ recording: hashOf(chained.fileName), channel: 0 }],
        { levelDb: -8, image: chained.image },
      ),
    },
    { kind: 'set-bed', bed: { recording: hashOf(bedFile), levelDb: bedLevelDb } },
    ...togetherEdits(),
  ];
}

/** Two pads and a shaker that moves between the sides: everything else of the song, roughly mixed. */
function bed(): Float32Array[] {
  const shakes: Note[] = Array.from({ length: 128 }, (_, n) => ({
    startSeconds: n * 0.3,
    seconds: 0.1,
    hz: 1,
    strength: n % 2 ? 0.5 : 1,
  }));
  const grain = shaker(shakes, 7, demoTape);
  return [11, 12].map((seed, side) => {
    const line = pad(score.pad, seed, demoTape);
    for (let n = 0; n < demoFrames; n++) line[n] += grain[n] * (side === 0 ? 0.5 : 0.35);
    return atPeak(line, -12);
  });
}

function atPeak(line: Float64Array, peakDb: number): Float32Array {
  let peak = 0;
  for (let n = 0; n < line.length; n++) peak = max(peak, abs(line[n]));
  const factor = 10 ** (peakDb / 20) / peak;
  const scaled = new Float32Array(line.length);
  for (let n = 0; n < line.length; n++) scaled[n] = line[n] * factor;
  return scaled;
}
