import { framesToMs, frames, hz } from '../quantities/units.ts';
import type { PairBlock } from '../signal/pair-blocks.ts';
import { parabolaPeak } from '../signal/parabola.ts';
import { realInverse } from '../signal/spectrum.ts';
import type { SideSums } from './sides.ts';

const { abs, ceil, max, min, round, sqrt } = Math;

export interface Likeness {
  /** Signed, −1 to 1. */
  readonly value: number;
  /** Above 0: the right side speaks later, so the left one leads. */
  readonly lagMs: number;
}

const largestLagMs = 200;

/**
 * Are the sides copies, and by how much apart: the signed peak of largest magnitude of the normalised
 * cross-correlation within ±200 ms, over all that is given. It is summed up block by block: each block of the left side
 * times those of the right one that lie so many blocks before and after it.
 */
export class LikenessMeter {
  readonly #rateHz: number;
  readonly #size: number;
  readonly #largestLag: number;
  /** How many blocks before and after are looked at. */
  readonly reach: number;
  /** Σ L*·R of blocks that lie −reach … reach apart. */
  readonly #products: readonly Float64Array[];

  /** @param size of the transform that the blocks are half of */
  constructor(rateHz: number, size: number) {
    this.#rateHz = rateHz;
    this.#size = size;
    this.#largestLag = round((largestLagMs * rateHz) / 1000);
    this.reach = ceil(this.#largestLag / (size / 2));
    this.#products = Array.from({ length: 2 * this.reach + 1 }, () => new Float64Array(size + 2));
  }

  /** @param blocks the newest first, and as many before it as the reach is */
  add(blocks: readonly PairBlock[]): void {
    const [newest] = blocks;
    for (let apart = 0; apart <= this.reach; apart++) {
      const before = blocks[apart];
      addProduct(this.#products[this.reach + apart], before.first, newest.second);
      if (apart > 0) addProduct(this.#products[this.reach - apart], newest.first, before.second);
    }
  }

  /** @param sums over all that was given; null where a side is silent */
  likeness(sums: SideSums): Likeness | null {
    const scale = sqrt(sums.left * sums.right);
    if (!(scale > 0)) return null;
    const { at, lag: best } = this.#highest();
    const offset =
      abs(best) < this.#largestLag ? parabolaPeak(at(best - 1), at(best), at(best + 1)) : 0;
    return {
      value: max(-1, min(1, at(best) / scale)),
      lagMs: framesToMs(frames(best + offset), hz(this.#rateHz)),
    };
  }

  #highest() {
    const half = this.#size / 2;
    // A block against the two that lie n and n + 1 blocks later: lags from n to n + 1 blocks.
    const runs = Array.from({ length: 2 * this.reach }, (_, n) => {
      const [near, far] = [this.#products[n], this.#products[n + 1]];
      const both = near.map((value, k) => value + (k % 4 < 2 ? far[k] : -far[k]));
      return realInverse(both, this.#size);
    });
    const at = (lag: number) => {
      const run = min(runs.length - 1, Math.floor(lag / half) + this.reach);
      return runs[run][lag - (run - this.reach) * half];
    };
    let lag = 0;
    for (let other = -this.#largestLag; other <= this.#largestLag; other++)
      if (abs(at(other)) > abs(at(lag))) lag = other;
    return { at, lag };
  }
}

/** Σ of a*·b, bin by bin. */
function addProduct(sum: Float64Array, a: Float64Array, b: Float64Array): void {
  for (let k = 0; k < sum.length; k += 2) {
    const ar = a[k];
    const ai = a[k + 1];
    const br = b[k];
    const bi = b[k + 1];
    sum[k] += ar * br + ai * bi;
    sum[k + 1] += ar * bi - ai * br;
  }
}
