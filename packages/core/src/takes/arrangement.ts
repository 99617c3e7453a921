import { fadeTable } from '../signal/fade.ts';
import type { Take } from './take.ts';

const { max, min, round, sqrt } = Math;

/** A stretch of a source that lies somewhere else in what is made of it. In frames. */
export interface Piece {
  /** Where it begins in what is made. */
  readonly at: number;
  /** Where it begins in the source. */
  readonly from: number;
  readonly count: number;
  readonly fadeIn: number;
  readonly fadeOut: number;
  /** How alike it and the one before it are where they overlap, 0 to 1: how much louder both are together. */
  readonly likeness: number;
}

/** How a take is put together out of its recording: silence between the pieces. */
export interface Arrangement {
  /** In the order of their places. */
  readonly pieces: readonly Piece[];
  readonly inverted: boolean;
  readonly frames: number;
}

/** A crossfade from one shift of a lined-up take to the next. */
const joinMs = 6;

export function joinFrames(rateHz: number): number {
  return round((joinMs * rateHz) / 1000);
}

/** What a take's clips make of its recording; null for all of it, from its first frame. */
export function clipsArrangement(
  { clips }: Pick<Take, 'clips'>,
  recordingFrames: number,
  rateHz: number,
): Arrangement | null {
  if (!clips) return null;
  const inFrames = (ms: number) => round((ms * rateHz) / 1000);
  const pieces = clips
    .map(({ fromFrame, toFrame, atFrame, fadeInMs, fadeOutMs }): Piece => {
      // A recording that was replaced by a shorter one has nothing there.
      const from = min(fromFrame, recordingFrames);
      const count = min(toFrame, recordingFrames) - from;
      const fadeIn = min(count, inFrames(fadeInMs));
      const fadeOut = min(count - fadeIn, inFrames(fadeOutMs));
      return { at: atFrame, from, count, fadeIn, fadeOut, likeness: 1 };
    })
    .filter(({ count }) => count > 0)
    .sort((a, b) => a.at - b.at);
  // Where one begins before another has ended, they go over into each other.
  for (let n = 1; n < pieces.length; n++) {
    const before = pieces[n - 1];
    const overlap = min(before.at + before.count - pieces[n].at, pieces[n].count, before.count);
    if (overlap <= 0) continue;
    const fadeOut = max(before.fadeOut, min(overlap, before.count - before.fadeIn));
    pieces[n - 1] = { ...before, fadeOut };
    pieces[n] = { ...pieces[n], fadeIn: max(pieces[n].fadeIn, overlap) };
    const { count, fadeIn } = pieces[n];
    pieces[n] = { ...pieces[n], fadeOut: min(pieces[n].fadeOut, count - fadeIn) };
  }
  return { pieces, inverted: false, frames: endOf(pieces) };
}

/** What lining up makes of a take: from each place of the path on it is read shifted, one shift going over into the next. */
export function alignedArrangement(
  { align }: Pick<Take, 'align'>,
  frames: number,
  rateHz: number,
): Arrangement | null {
  const path = align?.path;
  if (!path) return null;
  const join = joinFrames(rateHz);
  const pieces: Piece[] = [];
  const places = path.at.length;
  for (let n = 0; n < places; n++) {
    const shift = path.shift[n];
    const begin = n === 0 ? max(0, -shift) : max(path.at[n], -shift);
    const next = n + 1 < places ? path.at[n + 1] + join : Infinity;
    const end = min(frames - shift, next);
    if (end <= begin) continue;
    const fadeIn = n === 0 ? 0 : min(join, end - begin);
    const fadeOut = n + 1 < places && end === next ? min(join, end - begin - fadeIn) : 0;
    pieces.push({
      at: begin,
      from: begin + shift,
      count: end - begin,
      fadeIn,
      fadeOut,
      likeness: path.alike[n],
    });
  }
  return { pieces, inverted: align.polarity === 'inverted', frames: endOf(pieces) };
}

function endOf(pieces: readonly Piece[]): number {
  return pieces.reduce((end, { at, count }) => max(end, at + count), 0);
}

/** How long a take is, in frames, once it is put together. */
export function arrangedFrames(
  take: Pick<Take, 'clips' | 'align'>,
  recordingFrames: number,
  rateHz: number,
): number {
  if (!take.clips && !take.align?.path) return recordingFrames;
  const known = lengths.get(take);
  if (known?.recordingFrames === recordingFrames && known.rateHz === rateHz) return known.frames;
  const clipped = clipsArrangement(take, recordingFrames, rateHz)?.frames ?? recordingFrames;
  const frames = alignedArrangement(take, clipped, rateHz)?.frames ?? clipped;
  lengths.set(take, { recordingFrames, rateHz, frames });
  return frames;
}

/** Takes are as many as a song has, and are asked for their lengths with every step of a drag. */
const lengths = new WeakMap<
  Pick<Take, 'clips' | 'align'>,
  { readonly recordingFrames: number; readonly rateHz: number; readonly frames: number }
>();

const fades = new Map<number, Float64Array>();

function fadeOf(count: number): Float64Array {
  let fade = fades.get(count);
  if (fade) return fade;
  if (fades.size > 200) fades.clear();
  fade = fadeTable(count);
  fades.set(count, fade);
  return fade;
}

/** The weight of a piece at its frame `n`. */
function weightOf({ count, fadeIn, fadeOut }: Piece, n: number): number {
  if (n < fadeIn) return fadeOf(fadeIn)[n];
  const left = count - 1 - n;
  return left < fadeOut ? fadeOf(fadeOut)[left] : 1;
}

/**
 * Adds to `target`, whose first frame is `start`, what of a piece lies there.
 * @param source frames of the source from `sourceStart` on
 * @param before the piece before it, where they overlap
 */
export function addPiece(
  target: Float64Array,
  start: number,
  piece: Piece,
  before: Piece | undefined,
  source: Float32Array,
  sourceStart: number,
): void {
  const first = max(0, piece.at - start);
  const last = min(target.length, piece.at + piece.count - start);
  const overlapEnd = before ? before.at + before.count - start : 0;
  for (let n = first; n < last; n++) {
    const k = n + start - piece.at;
    const weight = weightOf(piece, k);
    const value = source[piece.from + k - sourceStart];
    if (!before || n >= overlapEnd || weight === 1) {
      target[n] += weight * value;
      continue;
    }
    // Unlike sounds are softer together than alike ones are.
    const other = weightOf(before, n + start - before.at);
    const loud = weight * weight + other * other + 2 * piece.likeness * weight * other;
    const full = (weight + other) ** 2;
    const gain = loud > 0 ? sqrt(full / loud) : 1;
    target[n] = gain * (target[n] + weight * value);
  }
}
