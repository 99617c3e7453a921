import { transforms } from '../signal/transforms.ts';
import type { Band } from './bands.ts';
import type { WindowSpectra } from './spectra.ts';

const { floor, max, min, sqrt } = Math;

/** Groups of windows: when there are more, neighbours are joined. */
const mostGroups = 256;
/** Neighbouring groups hang together: windows overlap, notes last. Their products count down over so many (Newey, West 1987). */
const lags = 3;

/**
 * How sure the share of the sides' power is that a band keeps in the fold: its standard error over the moments that it was measured
 * in. A comb that stands still is sure at once; where two performances meet, what adds and what cancels changes from moment to
 * moment, and only time tells what is left of it.
 */
export class BandDoubt {
  readonly #bands: readonly Band[];
  readonly #edges: { readonly first: number; readonly last: number }[];
  /** Power and cross power of each band, group by group. */
  #groups: Float64Array[] = [];
  #perGroup = 1;
  #inGroup = 0;

  constructor(bands: readonly Band[], hzPerBin: number, bins: number) {
    this.#bands = bands;
    this.#edges = bands.map(({ lowHz, highHz }) => {
      const first = max(0, min(bins - 1, floor(lowHz / hzPerBin + 0.5)));
      return { first, last: max(first + 1, min(bins, floor(highHz / hzPerBin + 0.5) + 1)) };
    });
  }

  add({ power, cross }: WindowSpectra): void {
    if (this.#inGroup === 0) this.#groups.push(new Float64Array(2 * this.#bands.length));
    const group = this.#groups[this.#groups.length - 1];
    for (let n = 0; n < this.#edges.length; n++) {
      const { first, last } = this.#edges[n];
      group[2 * n] += transforms.total(power.byteOffset + 8 * first, last - first);
      group[2 * n + 1] += transforms.total(cross.byteOffset + 8 * first, last - first);
    }
    this.#inGroup = (this.#inGroup + 1) % this.#perGroup;
    if (this.#groups.length > mostGroups && this.#inGroup === 0) this.#join();
  }

  #join(): void {
    const joined: Float64Array[] = [];
    for (let n = 0; n < this.#groups.length; n += 2) {
      const [one, two] = [this.#groups[n], this.#groups[n + 1]];
      joined.push(two ? one.map((value, k) => value + two[k]) : one);
    }
    this.#inGroup = this.#groups.length % 2 === 1 ? this.#perGroup : 0;
    this.#perGroup *= 2;
    this.#groups = joined;
  }

  /** Standard error of 2·Re⟨LR*⟩/(⟨|L|²⟩+⟨|R|²⟩) of each band, 0 to 1. */
  errors(): number[] {
    return this.#bands.map((_, n) => {
      let power = 0;
      let cross = 0;
      for (const group of this.#groups) {
        power += group[2 * n];
        cross += group[2 * n + 1];
      }
      if (!(power > 0)) return 0;
      const share = (2 * cross) / power;
      const rest = this.#groups.map((group) => 2 * group[2 * n + 1] - share * group[2 * n]);
      let sum = 0;
      for (let lag = 0; lag <= lags; lag++) {
        const weight = lag === 0 ? 1 : 2 * (1 - lag / (lags + 1));
        for (let k = lag; k < rest.length; k++) sum += weight * rest[k] * rest[k - lag];
      }
      const groups = rest.length;
      const fewer = groups > 1 ? groups / (groups - 1) : 1;
      return min(1, sqrt(max(0, sum) * fewer) / power);
    });
  }
}
