import type { Piece } from '@pannet/core/takes/arrangement';

const { ceil, floor, max, min, round } = Math;

/** Pixels of an image, row by row, that are inked in one colour, more or less. */
export interface InkedPixels {
  /** The four bytes of each, red the lowest and alpha the highest, as on all machines that have browsers. */
  readonly pixels: Uint32Array;
  readonly wide: number;
  readonly high: number;
  /** Of what is 0, in pixels from above. */
  readonly middle: number;
  /** Of full scale, from the middle. */
  readonly reach: number;
  /** Its three lower bytes. */
  readonly ink: number;
}

/** Samples, or least and largest of so many frames in pairs, from a frame of their recording on. */
export interface WaveValues {
  readonly values: Float32Array;
  readonly inPairs: boolean;
  readonly first: number;
  readonly frames: number;
}

/** A bar of nothing is as high as this, in pixels, so that it is seen. */
const thinnest = 0.5;

/** So much of the ink on all of the columns from one place to another, at least on one, as far as they lie in the image; on none where the other comes first. */
export function shadeColumns(
  { pixels, wide, high, ink }: InkedPixels,
  from: number,
  to: number,
  share: number,
): void {
  if (!(to > from)) return;
  const begin = max(0, round(from));
  const end = min(wide, max(round(to), round(from) + 1));
  if (begin >= end) return;
  const shaded = ((round(255 * share) << 24) | ink) >>> 0;
  for (let row = 0; row < high; row++) pixels.fill(shaded, row * wide + begin, row * wide + end);
}

/**
 * Fills a bar from the largest to the least value of each column whose frames belong to a piece. Its ends are as dark as they cover
 * their pixels; where something is already, the darker one stays.
 * @param from the frame of the song at the left edge
 */
export function fillBars(
  { pixels, wide, high, middle, reach, ink }: InkedPixels,
  from: number,
  framesAPixel: number,
  piece: Pick<Piece, 'at' | 'from' | 'count'>,
  { values, inPairs, first, frames }: WaveValues,
): void {
  const later = piece.at - piece.from;
  const entries = inPairs ? values.length / 2 : values.length;
  const step = inPairs ? 2 : 1;
  const highest = inPairs ? 1 : 0;
  const firstColumn = max(0, floor((piece.at - from) / framesAPixel));
  const endColumn = min(wide, ceil((piece.at + piece.count - from) / framesAPixel));
  const whole = (0xff000000 | ink) >>> 0;
  const entriesAColumn = framesAPixel / frames;
  for (let column = firstColumn; column < endColumn; column++) {
    const begin = (from + column * framesAPixel - later - first) / frames;
    const at = max(0, floor(begin));
    const last = min(entries, max(at + 1, floor(begin + entriesAColumn)));
    // A column in which it begins shows how it begins.
    if (at >= last || begin + entriesAColumn <= 0) continue;
    let least = 1;
    let most = -1;
    // Up to the first of the next column: bars of few samples join.
    const end = inPairs ? step * last : min(entries, last + 1);
    for (let n = step * at; n < end; n += step) {
      if (values[n] < least) least = values[n];
      if (values[n + highest] > most) most = values[n + highest];
    }
    const top = middle - min(1, most) * reach;
    const bottom = max(top, middle - max(-1, least) * reach) + thinnest;
    const firstWhole = max(0, ceil(top));
    const endWhole = min(high, floor(bottom));
    const edges = column + wide * floor(top);
    if (firstWhole > endWhole) darken(pixels, edges, bottom - top, ink);
    else {
      darken(pixels, edges, firstWhole - top, ink);
      darken(pixels, column + wide * endWhole, bottom - endWhole, ink);
    }
    const lastWhole = column + wide * (endWhole - 1);
    for (let pixel = column + wide * firstWhole; pixel <= lastWhole; pixel += wide)
      pixels[pixel] = whole;
  }
}

/** Inks a pixel by a share of it, if there is one and it is not darker already. */
function darken(pixels: Uint32Array, at: number, share: number, ink: number): void {
  const alpha = (255 * share + 0.5) | 0;
  if (at < pixels.length && alpha > pixels[at] >>> 24) pixels[at] = ((alpha << 24) | ink) >>> 0;
}
