import { Biquad } from '../../signal/biquad.ts';
import { highShelf } from '../../signal/filters.ts';
import { seededRandom } from '../../signal/random.ts';
import type { ReadFrames } from '../../sources/blocks.ts';
import type { TakeToRead } from './line-up.ts';

const { max, min, round } = Math;

export interface Performance {
  /** Each onset is moved by up to so much, evenly. */
  readonly jitterMs: number;
  readonly offsetMs: number;
  readonly inverted?: boolean;
  readonly levelDb?: number;
  readonly trebleDb?: number;
  /** Under the take's own peak. */
  readonly noiseDb?: number;
}

export interface Performed {
  readonly samples: Float32Array;
  /** Of each onset: by how many frames it is later than in the recording. */
  readonly late: readonly number[];
}

/** A crossfade where one note goes over into the next one that comes early, in ms; and so long before an onset it begins. */
const joinMs = 4;
const leadMs = 8;

/**
 * Another performance of a recording, its truth known: its notes, cut shortly before their onsets, are moved by chance; tone, level, noise,
 * polarity and the whole's place are changed.
 * @param onsets in frames, in order
 */
export function performed(
  recording: Float32Array,
  onsets: readonly number[],
  rateHz: number,
  seed: number,
  { jitterMs, offsetMs, inverted, levelDb = 0, trebleDb = 0, noiseDb }: Performance,
): Performed {
  const random = seededRandom(seed);
  const inFrames = (ms: number) => round((ms * rateHz) / 1000);
  const late = onsets.map(() => inFrames(offsetMs + jitterMs * (2 * random() - 1)));
  const length = max(1, recording.length + inFrames(offsetMs));
  const samples = new Float32Array(length);
  const join = inFrames(joinMs);
  const lead = inFrames(leadMs);
  // Before the first onset, then from each one to the next: place in what is made, and by how much later than recorded.
  const pieces: { readonly at: number; readonly shift: number }[] = [
    { at: 0, shift: late[0] ?? inFrames(offsetMs) },
  ];
  for (const [n, onset] of onsets.entries()) {
    const begin = max(0, onset - lead);
    const before = n === 0 ? late[0] : late[n - 1];
    // Where a note comes later, the end of the one before it is heard again: its own beginning must not be heard twice.
    if (late[n] > before) pieces.push({ at: begin + before - join, shift: late[n] });
    pieces.push({ at: begin + late[n], shift: late[n] });
  }
  for (const [n, { at: begin, shift }] of pieces.entries()) {
    const end = n + 1 < pieces.length ? pieces[n + 1].at : length;
    for (let at = begin; at < end + join; at++) {
      const into = n === 0 ? 1 : min(1, (at - begin) / join);
      const out = n + 1 < pieces.length ? min(1, (end + join - at) / join) : 1;
      if (at >= 0 && at < length) samples[at] += into * out * (recording[at - shift] ?? 0);
    }
  }
  const gain = 10 ** (levelDb / 20) * (inverted ? -1 : 1);
  const shelf = new Biquad(highShelf(2500, trebleDb, 0.7, rateHz));
  const toned = new Float64Array(length);
  shelf.process(samples, toned, length);
  let peak = 0;
  for (let n = 0; n < length; n++) {
    samples[n] = gain * toned[n];
    peak = max(peak, samples[n], -samples[n]);
  }
  if (noiseDb !== undefined)
    for (let n = 0; n < length; n++) samples[n] += peak * 10 ** (noiseDb / 20) * (2 * random() - 1);
  return { samples, late };
}

export function inMemory(samples: Float32Array): TakeToRead {
  const read: ReadFrames = (start, count) => {
    const out = new Float32Array(count);
    const from = max(0, start);
    const to = min(samples.length, start + count);
    if (to > from) out.set(samples.subarray(from, to), from - start);
    return Promise.resolve(out);
  };
  return { read, frames: samples.length };
}
