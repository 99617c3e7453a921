import { hexToBytes } from '@noble/hashes/utils.js';
import { transformsBytes } from './transforms-bytes.ts';

const { PI, ceil, cos, sin } = Math;

/** What of WebAssembly is used here; its types come with those of a browser, which the core does not know. */
declare const WebAssembly: {
  readonly Module: new (bytes: Uint8Array) => object;
  readonly Instance: new (module: object, imports: object) => { readonly exports: unknown };
};

/** See loops/transforms.ts. Addresses are in bytes. */
interface Transforms {
  readonly memory: { readonly buffer: ArrayBuffer; grow(pages: number): number };
  forward(turns: number, x: number, size: number): void;
  inverse(turns: number, x: number, size: number): void;
  filter(kernel: number, x: number, size: number): void;
  widen(singles: number, x: number, size: number): void;
  narrow(x: number, singles: number, size: number): void;
}

const transforms = new WebAssembly.Instance(new WebAssembly.Module(hexToBytes(transformsBytes)), {})
  .exports as Transforms;

/** All of their memory, as doubles and as singles; got anew when it has grown. */
let memory = new Float64Array(transforms.memory.buffer);
let singles = new Float32Array(transforms.memory.buffer);

/** What the compiler keeps for itself. */
let taken = 1024;
const pageValues = 8192;

/** So many values of the memory, for good. */
function takeRoom(values: number): number {
  const at = taken;
  // Whole lines of a cache.
  taken += ceil(values / 8) * 8;
  if (taken > memory.length) {
    transforms.memory.grow(ceil((taken - memory.length) / pageValues));
    memory = new Float64Array(transforms.memory.buffer);
    singles = new Float32Array(transforms.memory.buffer);
  }
  return at;
}

/**
 * The Fourier transform of four real signals at once: some four times as fast as one by one in plain TypeScript. They are two complex ones: the first has
 * signal 0 as its real part and 2 as its imaginary one, the second 1 and 3. There is one for each size, in a memory of its own; what lies in it is its
 * user's until they let something else run.
 */
export class FourfoldFft {
  readonly size: number;
  /** Where each bin lies in `bins`, from 0 to size − 1: real of both, imaginary of both, from four times that on. */
  readonly places: Uint32Array;
  readonly #signals: number;
  readonly #turns: number;
  readonly #x: number;
  readonly #kernel: number;

  /** @param size a power of two, at least 2 */
  constructor(size: number) {
    this.size = size;
    this.places = placesOf(size);
    const turns = ceil((3 * size) / 4);
    this.#signals = takeRoom(2 * size);
    this.#turns = takeRoom(2 * turns);
    this.#x = takeRoom(4 * size);
    this.#kernel = takeRoom(2 * size);
    for (let k = 0; k < turns; k++) {
      memory[this.#turns + 2 * k] = cos((2 * PI * k) / size);
      memory[this.#turns + 2 * k + 1] = -sin((2 * PI * k) / size);
    }
  }

  /** One of the four signals, 0 to 3: to be written, and what `filter` has made of it. Where it lies may change when another size is asked for. */
  signal(n: number): Float32Array {
    const from = 2 * this.#signals + n * this.size;
    return singles.subarray(from, from + this.size);
  }

  /** What becomes of the four by `transform`. Where it lies may change when another size is asked for. */
  get bins(): Float64Array {
    return memory.subarray(this.#x, this.#x + 4 * this.size);
  }

  /** Of the four signals, which stay as they are. */
  transform(): void {
    transforms.widen(8 * this.#signals, 8 * this.#x, this.size);
    transforms.forward(8 * this.#turns, 8 * this.#x, this.size);
  }

  /**
   * Takes each of the four through a filter, once round.
   * @param kernel real and imaginary of each bin, in their places: the spectrum of a real one, by `size`
   */
  filter(kernel: Float64Array): void {
    memory.set(kernel, this.#kernel);
    this.transform();
    transforms.filter(8 * this.#kernel, 8 * this.#x, this.size);
    transforms.inverse(8 * this.#turns, 8 * this.#x, this.size);
    transforms.narrow(8 * this.#x, 8 * this.#signals, this.size);
  }

  /** The spectrum of a filter, as `filter` wants it. */
  kernelOf(impulse: ArrayLike<number>): Float64Array {
    const { size } = this;
    const { bins } = this;
    bins.fill(0);
    for (let n = 0; n < impulse.length; n++) bins[4 * n] = impulse[n] / size;
    transforms.forward(8 * this.#turns, 8 * this.#x, size);
    return Float64Array.from({ length: 2 * size }, (_, k) => bins[4 * (k >> 1) + 2 * (k & 1)]);
  }
}

/** Bins are parted by four, and at last by two where there is no power of four. */
function placesOf(size: number): Uint32Array {
  const places = new Uint32Array(size);
  let at = 0;
  const part = (first: number, step: number) => {
    const ways = size / step < 4 ? size / step : 4;
    if (ways === 1) places[first] = at++;
    else for (let way = 0; way < ways; way++) part(first + way * step, ways * step);
  };
  part(0, 1);
  return places;
}

const kept = new Map<number, FourfoldFft>();

export function fourfoldFft(size: number): FourfoldFft {
  let fft = kept.get(size);
  if (!fft) kept.set(size, (fft = new FourfoldFft(size)));
  return fft;
}
