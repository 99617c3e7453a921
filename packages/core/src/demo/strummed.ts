import { newTakes, type Take } from '../takes/take.ts';
import { lineUp, type TakeToRead } from '../takes/line-up/line-up.ts';
import { arrangedSource } from '../derived/take-source.ts';
import { makingLoader } from '../derived/making.ts';
import { blockFrames, framesReader } from '../sources/blocks.ts';
import { plucked } from '../performing/instruments.ts';
import { played } from '../performing/performance.ts';
import { demoRateHz, score, secondsPerBeat, strumsFrom, strumsTo } from './score.ts';

const { round } = Math;

/** Chords that were strummed four times over, each a performance of its own: recorded only where they are played. */
export const strummedCount = 4;
const beforeSeconds = 0.5;
const seconds = (strumsTo - strumsFrom) * 4 * secondsPerBeat + 2;
/** Where the recordings begin in the song, in frames. */
const begins = round((strumsFrom * 4 * secondsPerBeat - beforeSeconds) * demoRateHz);
const frames = round(seconds * demoRateHz);
/** The others are not there at once with the first one. */
const lateMs = [0, 38, -24, 61];

export function strummedFile(take: number): string {
  return `lap-strings-${take + 1}.wav`;
}

/** Near enough to be one, far enough to stay four. */
const tightnessPercent = 50;

/** The four performances as sound, before their level is set. */
export function strummedTakes(): readonly Float64Array[] {
  return Array.from({ length: strummedCount }, (_, take) => {
    const notes = played(score.strums, {
      timingMs: take === 0 ? 0 : 14,
      strengthPercent: 18,
      tuneCents: 4,
      seed: 40 + take,
    });
    const late = lateMs[take] / 1000 + beforeSeconds - strumsFrom * 4 * secondsPerBeat;
    const there = notes.map((note) => ({ ...note, startSeconds: note.startSeconds + late }));
    return plucked(there, 60 + take, { rateHz: demoRateHz, frames });
  });
}

/** The takes of the part: in their place in the song, and lined up with the first one. */
export async function linedUpTakes(
  hashes: readonly string[],
  sounds: readonly Float32Array[],
): Promise<readonly Take[]> {
  const clip = { fromFrame: 0, toFrame: frames, atFrame: begins, fadeInMs: 5, fadeOutMs: 200 };
  const takes = newTakes(
    hashes.map((recording, n) => ({
      id: `t${n + 1}`,
      name: `strings ${n + 1}`,
      recording,
      channel: 0,
      clips: [clip],
    })),
  );
  const reads = takes.map((take, n) => asCut(take, sounds[n]));
  const lined: Take[] = [takes[0]];
  for (let n = 1; n < takes.length; n++) {
    const { align } = await lineUp(reads[0], reads[n], demoRateHz, tightnessPercent);
    lined.push({ ...takes[n], align: { to: takes[0].id, ...align } });
  }
  return lined;
}

function asCut(take: Take, sound: Float32Array): TakeToRead {
  const source = arrangedSource(
    { key: take.recording, frames: sound.length },
    { clips: take.clips, align: null },
    demoRateHz,
  );
  const load = makingLoader((_, index) =>
    Promise.resolve(sound.subarray(index * blockFrames, (index + 1) * blockFrames)),
  );
  return { read: framesReader(source, load), frames: source.frames };
}
