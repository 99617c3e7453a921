import { fourfoldFft, type FourfoldFft } from './fourfold-fft.ts';
import { nextPowerOfTwo } from './spectrum.ts';

const { ceil, log2, max, min } = Math;

/** So many stretches go through one transform. */
const together = 4;

/**
 * Filters by any impulse response, stretch by stretch: overlap-save (Stockham 1966). Four stretches go through one transform, since what filters them is
 * real.
 */
export class Convolver {
  /** It sees so many frames before each one. */
  readonly reach: number;
  readonly #fft: FourfoldFft;
  /** In the places of the bins. */
  readonly #kernel: Float64Array;

  /** @param usual so many frames are mostly filtered at once */
  constructor(impulse: ArrayLike<number>, usual = 1 << 16) {
    this.reach = impulse.length - 1;
    this.#fft = fourfoldFft(bestSize(this.reach, usual));
    this.#kernel = this.#fft.kernelOf(impulse);
  }

  /**
   * Filters a stretch.
   * @param input `reach` frames more than `count`, before it
   */
  process(input: Float32Array, count: number): Float32Array<ArrayBuffer> {
    const { reach } = this;
    const output = new Float32Array(count);
    const stretches = Array.from({ length: together }, (_, n) => this.#fft.signal(n));
    const run = this.#fft.size - reach;
    for (let from = 0; from < count; from += together * run) {
      for (const [n, stretch] of stretches.entries()) {
        const heard = input.subarray(from + n * run, from + n * run + stretch.length);
        stretch.set(heard);
        stretch.fill(0, heard.length);
      }
      this.#fft.filter(this.#kernel);
      for (const [n, stretch] of stretches.entries()) {
        const start = from + n * run;
        // The first `reach` values have wrapped round.
        if (start < count)
          output.set(stretch.subarray(reach, reach + min(run, count - start)), start);
      }
    }
    return output;
  }
}

/** The size of a transform with which so many frames take least: its own work, by how often it is done. */
function bestSize(reach: number, count: number): number {
  const work = (size: number) => ceil(count / (together * (size - reach))) * size * log2(size);
  let best = nextPowerOfTwo(max(64, reach + 1));
  if (best <= reach) best *= 2;
  for (let size = 2 * best; size <= 8 * best; size *= 2) if (work(size) < work(best)) best = size;
  return best;
}
