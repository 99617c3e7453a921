import { hexToBytes } from '@noble/hashes/utils.js';
import { transformsBytes } from './transforms-bytes.ts';

const { ceil } = Math;

/** What of WebAssembly is used here; its types come with those of a browser, which the core does not know. */
declare const WebAssembly: {
  readonly Module: new (bytes: Uint8Array) => object;
  readonly Instance: new (module: object, imports: object) => { readonly exports: unknown };
};

/** Between the bins of two complex signals and the spectra of the four real ones that they are. */
type OfFour = (
  places: number,
  x: number,
  size: number,
  re0: number,
  re1: number,
  im2: number,
  im3: number,
) => void;

/** See loops/transforms.ts. Addresses are in bytes. */
interface Transforms {
  readonly memory: { readonly buffer: ArrayBuffer; grow(pages: number): number };
  forward(turns: number, x: number, size: number): void;
  forwardOfHalves(turns: number, singles: number, x: number, size: number): void;
  inverse(turns: number, x: number, size: number): void;
  filter(kernel: number, x: number, size: number): void;
  widen(singles: number, x: number, size: number): void;
  narrow(x: number, singles: number, size: number): void;
  readonly takeApart: OfFour;
  readonly putTogether: OfFour;
  addProduct(sum: number, a: number, b: number, bins: number): void;
  addProducts(sum: number, a: number, b: number, c: number, d: number, bins: number): void;
  total(x: number, count: number): number;
  sumOf(singles: number, count: number): number;
  squares(left: number, right: number, count: number, sums: number): void;
  squaresOfMoments(
    left: number,
    right: number,
    frames: number,
    moments: number,
    sums: number,
  ): void;
  largest(singles: number, count: number): number;
  weigh(
    factors: number,
    state: number,
    left: number,
    right: number,
    count: number,
    sums: number,
  ): void;
  thin(
    weights: number,
    taps: number,
    singles: number,
    step: number,
    count: number,
    out: number,
  ): void;
  lessen(by: number, singles: number, count: number): void;
  highestBetween(
    weights: number,
    near: number,
    far: number,
    singles: number,
    count: number,
    peak: number,
  ): number;
  addWindow(
    left: number,
    nextLeft: number,
    right: number,
    nextRight: number,
    last: number,
    sums: number,
    own: number,
  ): void;
  windowFour(
    first: number,
    second: number,
    third: number,
    fourth: number,
    window: number,
    x: number,
    size: number,
  ): void;
  findPeaks(spectrum: number, power: number, last: number, peaks: number): number;
  findTurns(
    peaks: number,
    count: number,
    earlier: number,
    before: number,
    power: number,
    last: number,
    turns: number,
  ): void;
  turn(peaks: number, count: number, turns: number, spectrum: number, out: number): void;
  addSignal(x: number, signal: number, window: number, sound: number, size: number): void;
  readAlong(
    table: number,
    values: number,
    origin: number,
    ratio: number,
    from: number,
    to: number,
    out: number,
  ): void;
}

/** Transforms, what is added up of them, the other loops of measuring, and those of the vocoder. They take what they work on out of their own memory, which grows as it is asked for; each thread has its own. */
export const transforms = new WebAssembly.Instance(
  new WebAssembly.Module(hexToBytes(transformsBytes)),
  {},
).exports as Transforms;

/** What the compiler keeps for itself, in bytes. */
let taken = 8192;
const pageBytes = 65_536;
/** Rooms that nobody has any more, by their size in bytes. */
const free = new Map<number, number[]>();

/** A part of the memory, for whoever opened it, until it is closed. */
export class Room {
  /** In bytes. */
  readonly at: number;
  readonly #count: number;
  #open = true;

  constructor(at: number, count: number) {
    this.at = at;
    this.#count = count;
  }

  /** To be asked for each time: they are others when the memory has grown. */
  get values(): Float64Array<ArrayBuffer> {
    return new Float64Array(transforms.memory.buffer, this.at, this.#count);
  }

  /** The same bytes as singles, or as whole numbers. */
  get singles(): Float32Array<ArrayBuffer> {
    return new Float32Array(transforms.memory.buffer, this.at, 2 * this.#count);
  }

  get wholes(): Uint32Array<ArrayBuffer> {
    return new Uint32Array(transforms.memory.buffer, this.at, 2 * this.#count);
  }

  /** Gives it back; closing it again does nothing. */
  close(): void {
    if (!this.#open) return;
    this.#open = false;
    const bytes = bytesOf(this.#count);
    const rooms = free.get(bytes) ?? [];
    rooms.push(this.at);
    free.set(bytes, rooms);
  }
}

/** Whole lines of a cache. */
const bytesOf = (values: number) => 64 * ceil(values / 8);

/** So many values, all 0. */
export function openRoom(count: number): Room {
  const bytes = bytesOf(count);
  let at = free.get(bytes)?.pop();
  if (at === undefined) {
    at = taken;
    taken += bytes;
    const missing = taken - transforms.memory.buffer.byteLength;
    if (missing > 0) transforms.memory.grow(ceil(missing / pageBytes));
  }
  const room = new Room(at, count);
  room.values.fill(0);
  return room;
}

/**
 * A signal, or two, in pieces that lie in that memory as singles.
 * @param pieces all of one length; filled up with nothing
 * @param work is told how many values there are, and the place of the first in the signals
 */
export function inPieces(
  pieces: readonly Room[],
  signals: readonly Float32Array[],
  work: (count: number, from: number) => void,
): void {
  const { length } = pieces[0].singles;
  for (let from = 0; from < signals[0].length; from += length) {
    const count = Math.min(length, signals[0].length - from);
    for (let n = 0; n < pieces.length; n++) {
      const { singles } = pieces[n];
      singles.set(signals[n].subarray(from, from + count));
      singles.fill(0, count);
    }
    work(count, from);
  }
}
