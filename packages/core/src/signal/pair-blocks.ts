import { fourfoldFft } from './fourfold-fft.ts';
import { openRoom, type Room } from './transforms.ts';

/** Spectra of two real signals over the same stretch: bins 0 to size/2, re and im interleaved. */
export interface PairBlock {
  readonly first: Room;
  readonly second: Room;
}

/**
 * Visits two signals in blocks of half a transform, each filled up with as many zeros, so that what one block is to
 * another at any lag, and the spectrum of any two that follow each other, come from adding. Two blocks of both go through one transform.
 *
 * @param size of the transform, a power of two, at least 4
 * @param kept how many blocks before the newest are wanted as well
 * @param visit gets the newest block first, then those before it (silent before the first), and its number from 0; the last one is
 * silent, so that what is made of two that follow each other holds both ends in full. Their rooms are used again.
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
  const fft = fourfoldFft(size);
  const frames = size / 2;
  const count = Math.ceil(first.length / frames) + 1;
  const fill = (signal: number, samples: Float32Array, n: number) => {
    const filled = samples.subarray(n * frames, (n + 1) * frames);
    const half = fft.signal(signal).subarray(0, frames);
    half.set(filled);
    half.fill(0, filled.length);
  };
  const opened = (): PairBlock => ({ first: openRoom(size + 2), second: openRoom(size + 2) });
  // The newest two, and what is kept before the earlier of them.
  const blocks = Array.from({ length: kept + 2 }, opened);
  try {
    for (let n = 0; n < count; n++) {
      if (n % 2 === 0) {
        for (const next of [0, 1]) {
          fill(next, first, n + next);
          fill(next + 2, second, n + next);
        }
        blocks.unshift(...blocks.splice(kept));
        const [later, earlier] = blocks;
        fft.spectraOfHalves([earlier.first, later.first, earlier.second, later.second]);
      }
      const newest = n % 2 === 0 ? 1 : 0;
      visit(blocks.slice(newest, newest + kept + 1), n);
      tick((n + 1) / count);
    }
  } finally {
    for (const block of blocks) {
      block.first.close();
      block.second.close();
    }
  }
}
