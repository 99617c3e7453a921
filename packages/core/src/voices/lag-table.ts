import type { ReadFrames } from '../sources/blocks.ts';
import { fftOf, nextPowerOfTwo } from '../signal/spectrum.ts';

const { cos, floor, max, round, PI, sin } = Math;

export interface LagTableShape {
  readonly rateHz: number;
  /** 1 looks back from a place, −1 ahead. */
  readonly direction: 1 | -1;
  /** Over so long two readings have to be alike. */
  readonly windowMs: number;
  /** From place to place. */
  readonly hopMs: number;
  readonly shortestMs: number;
  readonly longestMs: number;
}

/** Lags that are kept of each place: the best repetitions, then one of each part of the range, where nothing repeats itself. */
export const lagsKept = 12;
const bestKept = 8;
const parts = lagsKept - bestKept;
/** A jump to where nothing is repeated costs a hundred times what sounds: it is there for want of any other. */
const forced = 100;
/** Looked at no finer than at this rate, or up to twice of it; what is found is refined at the full rate. */
const coarseHz = 20_000;
const rowsPerChunk = 64;

/** So many places in a row. */
interface Chunk {
  /** Mean square over the window of each place. */
  readonly energies: Float32Array;
  /** `lagsKept` of each place, in frames; below 0 where nothing is repeated, 0 for none. */
  readonly lags: Float32Array;
  /** Of each lag: the mean square of half the difference. */
  readonly costs: Float32Array;
}

/**
 * By how much a reading may jump at each place of a take, and what that costs: half the energy of the difference of what was read
 * and what will be, of those lags at which it is least. It depends on the take alone, whatever the tuning, so it is made once.
 */
export class LagTable {
  readonly hopFrames: number;
  readonly #direction: 1 | -1;
  readonly #factor: number;
  readonly #window: number;
  readonly #shortest: number;
  readonly #longest: number;
  readonly #lowpass: Float64Array;
  readonly #size: number;
  readonly #packed: number[];
  readonly #spectrum: number[];
  readonly #product: number[];
  readonly #correlation: number[];
  readonly #costs: Float64Array;
  readonly #chunks = new Map<number, Chunk>();

  constructor({ rateHz, direction, windowMs, hopMs, shortestMs, longestMs }: LagTableShape) {
    this.#direction = direction;
    this.#factor = max(1, floor(rateHz / coarseHz));
    const coarse = (ms: number) => max(1, round((ms * rateHz) / 1000 / this.#factor));
    this.hopFrames = coarse(hopMs) * this.#factor;
    this.#window = coarse(windowMs);
    this.#shortest = coarse(shortestMs);
    this.#longest = coarse(longestMs);
    this.#lowpass = decimator(this.#factor);
    // What wraps round lies outside the lags that are looked at.
    this.#size = nextPowerOfTwo(this.#window + this.#longest);
    const fft = fftOf(this.#size);
    this.#packed = new Array<number>(2 * this.#size).fill(0);
    this.#spectrum = fft.createComplexArray();
    this.#product = fft.createComplexArray();
    this.#correlation = fft.createComplexArray();
    this.#costs = new Float64Array(this.#longest + 1);
  }

  /** In bytes, about. */
  get size(): number {
    return this.#chunks.size * rowsPerChunk * (2 * lagsKept + 1) * 4;
  }

  /** The chunk that a row is in; it has to be made. */
  chunkAt(row: number): Chunk {
    const chunk = this.#chunks.get(floor(row / rowsPerChunk));
    if (!chunk) throw new Error(`No lags were looked for at row ${row}.`);
    return chunk;
  }

  /** The row of the place nearest to `place`, a frame. */
  rowAt(place: number): number {
    return round(place / this.hopFrames);
  }

  /** Mean square of what is read from the place nearest to `place` on. */
  energyAt(place: number): number {
    const row = this.rowAt(place);
    return this.chunkAt(row).energies[LagTable.within(row)];
  }

  /** Where a row lies in its chunk. */
  static within(row: number): number {
    return ((row % rowsPerChunk) + rowsPerChunk) % rowsPerChunk;
  }

  /** Makes what is missing from place `from` to place `to`, frames. */
  async ensure(read: ReadFrames, from: number, to: number): Promise<void> {
    const last = floor(this.rowAt(to) / rowsPerChunk);
    for (let n = floor(this.rowAt(from) / rowsPerChunk); n <= last; n++)
      if (!this.#chunks.has(n)) this.#chunks.set(n, await this.#make(read, n * rowsPerChunk));
  }

  async #make(read: ReadFrames, first: number): Promise<Chunk> {
    const chunk: Chunk = {
      energies: new Float32Array(rowsPerChunk),
      lags: new Float32Array(rowsPerChunk * lagsKept),
      costs: new Float32Array(rowsPerChunk * lagsKept),
    };
    const step = this.hopFrames / this.#factor;
    const back = this.#direction > 0;
    const before = back ? this.#longest : 0;
    const after = this.#window + (back ? 0 : this.#longest);
    const count = (rowsPerChunk - 1) * step + before + after;
    const start = first * this.hopFrames - before * this.#factor;
    const samples = await this.#coarse(read, start, count);
    const energies = runningEnergy(samples, this.#window);
    // Two at once: their products come back as the real and the imaginary part of one transform.
    for (let n = 0; n < rowsPerChunk; n += 2) {
      const at = before + n * step;
      this.#cross(samples, at, false);
      this.#cross(samples, at + step, true);
      fftOf(this.#size).inverseTransform(this.#correlation, this.#product);
      this.#pick(energies, at, 0, chunk, n);
      this.#pick(energies, at + step, 1, chunk, n + 1);
    }
    return chunk;
  }

  async #coarse(read: ReadFrames, start: number, count: number): Promise<Float32Array> {
    const factor = this.#factor;
    if (factor === 1) return read(start, count);
    const taps = this.#lowpass;
    const half = (taps.length - 1) / 2;
    const samples = await read(start - half, (count - 1) * factor + taps.length);
    const out = new Float32Array(count);
    for (let n = 0; n < count; n++) {
      const middle = n * factor + half;
      let sum = taps[half] * samples[middle];
      for (let k = 1; k <= half; k++)
        sum += taps[half + k] * (samples[middle + k] + samples[middle - k]);
      out[n] = sum;
    }
    return out;
  }

  /** The spectrum of what lies round a place times that of its window, which go through one transform. */
  #cross(samples: Float32Array, at: number, imaginary: boolean): void {
    const size = this.#size;
    const packed = this.#packed;
    const window = this.#window;
    const from = this.#regionStart(at);
    const length = window + this.#longest;
    for (let n = 0; n < length; n++) packed[2 * n] = samples[from + n];
    for (let n = length; n < size; n++) packed[2 * n] = 0;
    for (let n = 0; n < window; n++) packed[2 * n + 1] = samples[at + n];
    for (let n = window; n < size; n++) packed[2 * n + 1] = 0;
    fftOf(size).transform(this.#spectrum, packed);
    const z = this.#spectrum;
    const product = this.#product;
    for (let k = 0; k < size; k++) {
      const m = k === 0 ? 0 : size - k;
      const zr = z[2 * k];
      const zi = z[2 * k + 1];
      const wr = z[2 * m];
      const wi = z[2 * m + 1];
      // Surroundings A = (z + w*)/2, window B = (z − w*)/2i; the product is A·B*.
      const ar = (zr + wr) / 2;
      const ai = (zi - wi) / 2;
      const br = (zi + wi) / 2;
      const bi = (wr - zr) / 2;
      const re = ar * br + ai * bi;
      const im = ai * br - ar * bi;
      if (imaginary) {
        product[2 * k] -= im;
        product[2 * k + 1] += re;
      } else {
        product[2 * k] = re;
        product[2 * k + 1] = im;
      }
    }
  }

  #regionStart(at: number): number {
    return this.#direction > 0 ? at - this.#longest : at;
  }

  #pick(energies: Float64Array, at: number, part: 0 | 1, chunk: Chunk, row: number): void {
    const window = this.#window;
    const own = energies[at];
    const from = this.#regionStart(at);
    const [shortest, longest] = [this.#shortest, this.#longest];
    const costs = this.#costs;
    for (let lag = shortest; lag <= longest; lag++) {
      const shift = at - this.#direction * lag;
      const cross = this.#correlation[2 * (shift - from) + part];
      costs[lag] = max(0, (own + energies[shift]) / 2 - cross) / window;
    }
    chunk.energies[row] = own / window;
    const first = row * lagsKept;
    const bestOf: number[] = new Array<number>(parts).fill(0);
    let kept = 0;
    for (let lag = shortest; lag <= longest; lag++) {
      const cost = costs[lag];
      const share = floor(((lag - shortest) * parts) / (longest + 1 - shortest));
      // Of equal ones the longest: in silence nothing else tells how to get back from far away.
      if (bestOf[share] === 0 || cost <= costs[bestOf[share]]) bestOf[share] = lag;
      // At the ends nothing tells whether it is one: what is only near, as the next frames of a low tone, is no repetition.
      if (lag === shortest || lag === longest) continue;
      if (cost > costs[lag - 1] || cost >= costs[lag + 1]) continue;
      if (kept === bestKept && cost >= chunk.costs[first + kept - 1]) continue;
      // Kept in order of their cost; the dearest falls out.
      let n = kept < bestKept ? kept++ : kept - 1;
      for (; n > 0 && chunk.costs[first + n - 1] > cost; n--) {
        chunk.costs[first + n] = chunk.costs[first + n - 1];
        chunk.lags[first + n] = chunk.lags[first + n - 1];
      }
      chunk.costs[first + n] = cost;
      chunk.lags[first + n] = lag * this.#factor;
    }
    for (const lag of bestOf) {
      chunk.costs[first + kept] = max(costs[lag], (forced * own) / window);
      chunk.lags[first + kept++] = -lag * this.#factor;
    }
  }
}

/** A short low-pass for one in `factor` samples: what folds over is what is not looked at closely. */
function decimator(factor: number): Float64Array {
  const half = 6 * factor;
  const taps = new Float64Array(2 * half + 1);
  let sum = 0;
  for (let n = -half; n <= half; n++) {
    const x = (PI * n * 0.9) / factor;
    const value = (n === 0 ? 1 : sin(x) / x) * (0.5 + 0.5 * cos((PI * n) / (half + 1)));
    taps[n + half] = value;
    sum += value;
  }
  return taps.map((value) => value / sum);
}

/** The energy of the window that begins at each sample. */
export function runningEnergy(samples: ArrayLike<number>, window: number): Float64Array {
  const energies = new Float64Array(samples.length);
  let sum = 0;
  for (let n = samples.length - 1; n >= 0; n--) {
    sum += samples[n] * samples[n];
    if (n + window < samples.length) sum -= samples[n + window] * samples[n + window];
    energies[n] = sum > 0 ? sum : 0;
  }
  return energies;
}
