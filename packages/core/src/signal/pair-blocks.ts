import { fftOf } from './spectrum.ts';

/** Spectra of two real signals over the same stretch: bins 0 to size/2, re and im interleaved. */
export interface PairBlock {
  readonly first: Float64Array;
  readonly second: Float64Array;
}

/**
 * Visits two signals in blocks of half a transform, each filled up with as many zeros, so that what one block is to
 * another at any lag, and the spectrum of any two that follow each other, come from adding. Both go through one transform,
 * the first as its real, the second as its imaginary part: with z = Z(k) and w = Z(size − k) their spectra are
 * (z + w*)/2 and (z − w*)/2i.
 *
 * @param size of the transform, a power of two
 * @param kept how many blocks before the newest are wanted as well
 * @param visit gets the newest block first, then those before it (silent before the first), and its number from 0; the last one is
 * silent, so that what is made of two that follow each other holds both ends in full. Their arrays are used again.
 * @param tick is told the share done; it may throw to stop
 */
export function visitPairBlocks(
  first: Float32Array,
  second: Float32Array,
  size: number,
  kept: number,
  visit: (blocks: readonly PairBlock[], n: number) => void,
  tick: (share: number) => void = () => {},
): void {
  const fft = fftOf(size);
  const frames = size / 2;
  const count = Math.ceil(first.length / frames) + 1;
  const packed = new Array<number>(2 * size).fill(0);
  const z = fft.createComplexArray();
  const blocks = Array.from({ length: kept + 1 }, (): PairBlock => ({
    first: new Float64Array(size + 2),
    second: new Float64Array(size + 2),
  }));
  for (let n = 0; n < count; n++) {
    const from = n * frames;
    const filled = Math.max(0, Math.min(frames, first.length - from));
    for (let at = 0; at < filled; at++) {
      packed[2 * at] = first[from + at];
      packed[2 * at + 1] = second[from + at];
    }
    for (let at = filled; at < frames; at++) packed[2 * at] = packed[2 * at + 1] = 0;
    fft.transform(z, packed);
    blocks.unshift(...blocks.splice(kept, 1));
    takeApart(z, size, blocks[0]);
    visit(blocks, n);
    tick((n + 1) / count);
  }
}

/** The spectra of two real signals out of that of both, one as its real, the other as its imaginary part. */
export function takeApart(z: readonly number[], size: number, { first, second }: PairBlock): void {
  for (let k = 0; k <= size; k += 2) {
    const zr = z[k];
    const zi = z[k + 1];
    const mirror = k === 0 ? 0 : 2 * size - k;
    const wr = z[mirror];
    const wi = z[mirror + 1];
    first[k] = (zr + wr) / 2;
    first[k + 1] = (zi - wi) / 2;
    second[k] = (zi + wi) / 2;
    second[k + 1] = (wr - zr) / 2;
  }
}
