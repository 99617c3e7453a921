import type { ReadFrames } from '../sources/blocks.ts';
import { LagRooms, rowsAtOnce } from './lag-rooms.ts';

const { floor, max, round } = Math;

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
/** A multiple of those that are looked at together. */
const rowsPerChunk = 16 * rowsAtOnce;

/** So many places in a row. */
interface Chunk {
  /** Mean square over the window of each place. */
  readonly energies: Float32Array;
  /** `lagsKept` of each place, in frames; below 0 where nothing is repeated, 0 for none. */
  readonly lags: Float32Array;
  /** Of each lag: the mean square of half the difference. */
  readonly costs: Float32Array;
  /** By how much each place sounds unlike the one before it: the mean square of what their magnitude spectra differ by. */
  readonly changes: Float32Array;
}

/**
 * By how much a reading may jump at each place of a take, and what that costs: half the energy of the difference of what was read
 * and what will be, of those lags at which it is least. And what it costs there to be early or late: how fast the sound changes. It
 * depends on the take alone, whatever the tuning, so it is made once.
 */
export class LagTable {
  readonly hopFrames: number;
  readonly #direction: 1 | -1;
  readonly #factor: number;
  readonly #window: number;
  readonly #shortest: number;
  readonly #longest: number;
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
    this.#costs = new Float64Array(this.#longest + 1);
  }

  /** In bytes, about. */
  get size(): number {
    return this.#chunks.size * rowsPerChunk * (2 * lagsKept + 2) * 4;
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
      changes: new Float32Array(rowsPerChunk),
    };
    const factor = this.#factor;
    const [window, longest] = [this.#window, this.#longest];
    const step = this.hopFrames / factor;
    const back = this.#direction > 0;
    // The place before the first one, too: it tells by how much that one changes.
    const before = step + (back ? longest : 0);
    const count = (rowsPerChunk - 1) * step + before + window + (back ? 0 : longest);
    const margin = LagRooms.margin(factor);
    const start = first * this.hopFrames - before * factor - margin;
    const taken = await read(start, (count - 1) * factor + 2 * margin + 1);
    // From here on nothing is waited for: the rooms are this table's.
    const rooms = LagRooms.of({ window, longest, factor, rows: rowsPerChunk, step });
    const samples = rooms.thin(taken, count);
    const energies = runningEnergy(samples, window);
    rooms.look(this.#regionStart(before - step), 0);
    rooms.change(0);
    for (let n = 0; n < rowsPerChunk; n += rowsAtOnce) {
      rooms.look(this.#regionStart(before + n * step), step);
      rooms.correlate(before + n * step, step);
      for (let k = 0; k < rowsAtOnce; k++) {
        chunk.changes[n + k] = rooms.change(k);
        this.#pick(energies, before + (n + k) * step, rooms.correlation(k), chunk, n + k);
      }
    }
    return chunk;
  }

  #regionStart(at: number): number {
    return this.#direction > 0 ? at - this.#longest : at;
  }

  #pick(
    energies: Float64Array,
    at: number,
    correlation: Float64Array,
    chunk: Chunk,
    row: number,
  ): void {
    const window = this.#window;
    const own = energies[at];
    const from = this.#regionStart(at);
    const [shortest, longest] = [this.#shortest, this.#longest];
    const costs = this.#costs;
    for (let lag = shortest; lag <= longest; lag++) {
      const shift = at - this.#direction * lag;
      const cross = correlation[shift - from];
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
