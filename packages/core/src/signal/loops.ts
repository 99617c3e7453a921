import { hexToBytes } from '@noble/hashes/utils.js';
import { loopsBytes } from './loops-bytes.ts';

const { atan, log } = Math;

/** What of WebAssembly is used here; its types come with those of a browser, which the core does not know. */
declare const WebAssembly: {
  readonly Module: new (bytes: Uint8Array) => object;
  readonly Instance: new (module: object, imports: object) => { readonly exports: unknown };
};

/** See loops/loops.ts and what it names. Addresses are in bytes. */
interface Loops {
  readonly memory: { readonly buffer: ArrayBuffer };
  upsample(side: number, arms: number, x: number, count: number, twice: number): void;
  downsample(
    side: number,
    arms: number,
    twice: number,
    count: number,
    outer: number,
    into: number,
  ): void;
  meanOfArc(
    table: number,
    into: number,
    shift: number,
    rest: number,
    last: number,
    x: number,
    count: number,
  ): void;
  meanOfCut(into: number, last: number, x: number, count: number): void;
  twoBefore(scale: number, x: number, count: number): void;
  filterPair(factors: number, state: number, x: number, count: number): void;
  squash(
    attack: number,
    release: number,
    amount: number,
    state: number,
    x: number,
    count: number,
  ): void;
  readLine(
    table: number,
    singles: number,
    count: number,
    wide: number,
    start: number,
    ratio: number,
    wander: number,
    from: number,
    to: number,
    out: number,
  ): void;
  readStraight(
    weights: number,
    taps: number,
    singles: number,
    wide: number,
    frames: number,
    out: number,
  ): void;
}

/** The loops where most of the time of amp chains and of reading between values goes. They take what they work on out of their own memory; each thread has its own. */
export const loops = new WebAssembly.Instance(new WebAssembly.Module(hexToBytes(loopsBytes)), {
  curve: { atan, log },
}).exports as Loops;

/** All of the loops' memory. */
export const memory = new Float64Array(loops.memory.buffer);

/** What the compiler keeps for itself. */
let taken = 1024;

/**
 * So many values of the memory, for good. Modules take it once, when they are loaded; what lies in it is theirs until they let something else run.
 * @returns place of the first, in `memory`
 */
export function takeRoom(values: number): number {
  const at = taken;
  // Whole lines of a cache.
  taken += Math.ceil(values / 8) * 8;
  if (taken > memory.length) throw new Error('The loops have no more memory.');
  return at;
}

/** So many values of the memory as singles, for good. */
export function takeSingles(values: number): Float32Array<ArrayBuffer> {
  const place = takeRoom(Math.ceil(values / 2));
  return new Float32Array(loops.memory.buffer, addressOf(place), values);
}

/** @param place in `memory` */
export const addressOf = (place: number) => 8 * place;
