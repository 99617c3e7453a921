import { outlineFrames } from './outline.ts';

/** An outline, or a coarser one made of it: least and largest sample of each so many frames, in pairs. */
export interface Level {
  readonly frames: number;
  readonly ends: Float32Array;
}

/** Each level is so many times coarser than the one before. */
const coarser = 8;

const known = new WeakMap<Float32Array, readonly Level[]>();

/** An outline and coarser ones, the finest first: all of a long song is drawn from few pairs. */
export function levelsOf(ends: Float32Array): readonly Level[] {
  const made = known.get(ends);
  if (made) return made;
  const levels: Level[] = [{ frames: outlineFrames, ends }];
  for (let { ends: fine, frames } = levels[0]; fine.length > 2 * coarser;) {
    const pairs = Math.ceil(fine.length / 2 / coarser);
    const coarse = new Float32Array(2 * pairs);
    for (let n = 0; n < pairs; n++) {
      let least = Infinity;
      let most = -Infinity;
      const to = Math.min(fine.length, 2 * (n + 1) * coarser);
      for (let k = 2 * n * coarser; k < to; k += 2) {
        if (fine[k] < least) least = fine[k];
        if (fine[k + 1] > most) most = fine[k + 1];
      }
      coarse[2 * n] = least;
      coarse[2 * n + 1] = most;
    }
    fine = coarse;
    frames *= coarser;
    levels.push({ frames, ends: coarse });
  }
  known.set(ends, levels);
  return levels;
}

/** The coarsest level that still has a pair for each pixel; the finest where none has. */
export function levelFor(ends: Float32Array, framesAPixel: number): Level {
  const levels = levelsOf(ends);
  return levels.findLast(({ frames }) => frames <= framesAPixel) ?? levels[0];
}

/** A stretch in which something sounds, in frames of the recording. */
export interface Sounding {
  readonly from: number;
  readonly to: number;
}

/** Softer than this is no sound to be drawn: −60 dB. */
const floor = 10 ** (-60 / 20);
/** Pauses that are shorter do not part it, in pairs of the second level: some 0.3 s. */
const holdPairs = 8;

const knownSounding = new WeakMap<Float32Array, readonly Sounding[]>();

/** Where a recording sounds, by its outline, to some 40 ms. */
export function soundingOf(ends: Float32Array): readonly Sounding[] {
  const made = knownSounding.get(ends);
  if (made) return made;
  const levels = levelsOf(ends);
  const { frames, ends: pairs } = levels[Math.min(1, levels.length - 1)];
  const stretches: { from: number; to: number }[] = [];
  for (let n = 0; n < pairs.length / 2; n++) {
    if (Math.max(-pairs[2 * n], pairs[2 * n + 1]) < floor) continue;
    const last = stretches.at(-1);
    const [from, to] = [n * frames, (n + 1) * frames];
    if (last && from - last.to <= holdPairs * frames) last.to = to;
    else stretches.push({ from, to });
  }
  knownSounding.set(ends, stretches);
  return stretches;
}
