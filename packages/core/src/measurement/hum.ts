import { powerToDb } from '../quantities/units.ts';
import type { WindowSpectra } from './spectra.ts';

const { abs, ceil, floor, max, round } = Math;

export interface Hum {
  /** 50 or 60: what mains have. */
  readonly hz: number;
  /** Its strongest partial against the whole low end, in dB. */
  readonly levelDb: number;
}

/** Partials that are looked at, as multiples of the mains. */
const partials = [1, 2, 3, 4, 5, 6];
/** So many of them stand out in hum: a note that lies there has no neighbours that stay. */
const leastPartials = 3;
const topHz = 400;
/** A line over what lies beside it. */
const standsOutDb = 10;
/** Mains are kept within a fifth of a hertz, a note need not be (EN 50160: ±1 % at most; common practice: far less). */
const withinHz = 0.35;
/** Music moves; hum does not: its level from window to window, from the softest seventh to the loudest. */
const steadyDb = 8;
const fewestWindows = 4;
const softShare = 0.4;
const mostWindows = 600;

/** Finds hum: lines at the mains' frequency and its multiples that stand in every window, whatever is played. */
export class HumFinder {
  readonly #windows: Float32Array[] = [];
  #hzPerBin = 1;
  #stride = 1;
  #seen = 0;
  #whole = 0;

  add({ hzPerBin, power }: WindowSpectra): void {
    this.#hzPerBin = hzPerBin;
    for (let bin = 0; bin < power.length; bin++) this.#whole += power[bin];
    if (this.#seen++ % this.#stride !== 0) return;
    this.#windows.push(Float32Array.from(power.subarray(0, ceil(topHz / hzPerBin))));
    if (this.#windows.length <= mostWindows) return;
    this.#stride *= 2;
    this.#windows.splice(0, this.#windows.length, ...this.#windows.filter((_, n) => n % 2 === 0));
  }

  /** null where there is none, or too little to tell it by. */
  hum(): Hum | null {
    const total = (window: Float32Array) => window.reduce((sum, power) => sum + power, 0);
    // Those at both ends are silent in part.
    const all = this.#windows
      .slice(1, -2)
      .map((window) => ({ window, power: total(window) }))
      .filter(({ power }) => power > 0)
      .sort((a, b) => a.power - b.power);
    // What stands still is told best where little else moves.
    const sounding = all
      .slice(0, max(fewestWindows, ceil(softShare * all.length)))
      .map(({ window }) => window);
    if (sounding.length < fewestWindows) return null;
    for (const hz of [50, 60]) {
      const lines = partials
        .map((n) => this.#line(sounding, n * hz))
        .filter((line) => line !== null);
      if (lines.length < leastPartials) continue;
      const strongest = max(...lines);
      return { hz, levelDb: powerToDb((strongest * this.#seen) / this.#whole) };
    }
    return null;
  }

  /** The median power of a line that stands out of them all and stays in each; null where none does. */
  #line(windows: readonly Float32Array[], hz: number): number | null {
    const centre = round(hz / this.#hzPerBin);
    const sum = (bin: number) => windows.reduce((whole, window) => whole + (window[bin] ?? 0), 0);
    const sums = new Map<number, number>();
    for (let bin = centre - 9; bin <= centre + 9; bin++) sums.set(bin, bin < 0 ? 0 : sum(bin));
    const at = (bin: number) => sums.get(bin) ?? 0;
    let peak = centre;
    for (let bin = centre - 1; bin <= centre + 1; bin++) if (at(bin) > at(peak)) peak = bin;
    const beside = [-7, -6, -5, 5, 6, 7].map((by) => at(peak + by)).toSorted((a, b) => a - b);
    const around = (beside[2] + beside[3]) / 2;
    if (at(peak) <= around * 10 ** (standsOutDb / 10)) return null;
    const [a, b, c] = [-1, 0, 1].map((by) => powerToDb(at(peak + by) + 1e-30));
    const curve = a - 2 * b + c;
    const place = peak + (curve < 0 ? (a - c) / (2 * curve) : 0);
    if (abs(place * this.#hzPerBin - hz) > withinHz) return null;
    const powers = windows
      .map((window) => (window[peak - 1] ?? 0) + window[peak] + (window[peak + 1] ?? 0))
      .sort((x, y) => x - y);
    const share = (part: number) => powers[floor(part * (powers.length - 1))];
    return powerToDb(share(0.85) / share(0.15)) > steadyDb ? null : share(0.5);
  }
}
