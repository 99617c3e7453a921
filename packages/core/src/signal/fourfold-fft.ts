import { openRoom, transforms, type Room } from './transforms.ts';

const { PI, ceil, cos, sin } = Math;

export type Four<T> = readonly [T, T, T, T];

/**
 * The Fourier transform of four real signals at once: some four times as fast as one by one in plain TypeScript. They are two complex ones: the first has
 * signal 0 as its real part and 2 as its imaginary one, the second 1 and 3. There is one for each size; what lies in it is its user's until they let
 * something else run.
 */
export class FourfoldFft {
  readonly size: number;
  readonly #signals: Room;
  /** Where each bin lies. */
  readonly #places: Room;
  readonly #turns: Room;
  readonly #x: Room;
  readonly #kernel: Room;

  /** @param size a power of two, at least 2 */
  constructor(size: number) {
    this.size = size;
    const turned = turnsOf(size);
    const rooms = [2 * size, ceil(size / 2), turned.length, 4 * size, 2 * size].map(openRoom);
    [this.#signals, this.#places, this.#turns, this.#x, this.#kernel] = rooms;
    this.#places.wholes.set(placesOf(size));
    this.#turns.values.set(turned);
  }

  /** Rooms for the spectra of four signals. */
  openSpectra(): Four<Room> {
    const open = () => openRoom(this.size + 2);
    return [open(), open(), open(), open()];
  }

  /** One of the four signals, 0 to 3: to be written, and what `filter` has made of it. To be asked for each time that another size may have been. */
  signal(n: number): Float32Array {
    return this.#signals.singles.subarray(n * this.size, (n + 1) * this.size);
  }

  #transform(): void {
    transforms.widen(this.#signals.at, this.#x.at, this.size);
    transforms.forward(this.#turns.at, this.#x.at, this.size);
  }

  /** The spectra of the four: bins 0 to size/2, re and im interleaved, `size` + 2 values each. The signals stay as they are. */
  spectra(into: Four<Room>): void {
    this.#transform();
    this.#takeApart(into);
  }

  /** The same of signals whose second half is nothing, whatever lies there. */
  spectraOfHalves(into: Four<Room>): void {
    transforms.forwardOfHalves(this.#turns.at, this.#signals.at, this.#x.at, this.size);
    this.#takeApart(into);
  }

  /**
   * The same of four windows of singles, which never become signals.
   * @param at in bytes, where each begins
   * @param window `size` weights
   */
  spectraOfWindows(at: Four<number>, window: Room, into: Four<Room>): void {
    const [first, second, third, fourth] = at;
    transforms.windowFour(first, second, third, fourth, window.at, this.#x.at, this.size);
    transforms.forward(this.#turns.at, this.#x.at, this.size);
    this.#takeApart(into);
  }

  #takeApart(into: Four<Room>): void {
    const [re0, re1, im2, im3] = into;
    const [places, x] = [this.#places.at, this.#x.at];
    transforms.takeApart(places, x, this.size, re0.at, re1.at, im2.at, im3.at);
  }

  /**
   * The way back: the four signals out of their spectra, each `size` times what it was, added to a sound through a window, one after the other. What is
   * imaginary of the first and the last bin is left out.
   * @param at in bytes, where the first one begins in the sound; the others lie `apart` bytes from each other
   * @param count of them are added
   */
  addFromSpectra(
    [re0, re1, im2, im3]: Four<Room>,
    window: Room,
    at: number,
    apart: number,
    count: number,
  ): void {
    const [places, x] = [this.#places.at, this.#x.at];
    transforms.putTogether(places, x, this.size, re0.at, re1.at, im2.at, im3.at);
    transforms.inverse(this.#turns.at, x, this.size);
    for (let n = 0; n < count; n++)
      transforms.addSignal(x, n, window.at, at + n * apart, this.size);
  }

  /**
   * Takes each of the four through a filter, once round.
   * @param kernel see `kernelOf`
   */
  filter(kernel: Float64Array): void {
    this.#kernel.values.set(kernel);
    this.#transform();
    transforms.filter(this.#kernel.at, this.#x.at, this.size);
    transforms.inverse(this.#turns.at, this.#x.at, this.size);
    transforms.narrow(this.#x.at, this.#signals.at, this.size);
  }

  /** The spectrum of a filter, as `filter` wants it: real and imaginary of each bin, by `size`, in the order in which the bins lie. */
  kernelOf(impulse: ArrayLike<number>): Float64Array {
    const { size } = this;
    const { values } = this.#x;
    values.fill(0);
    for (let n = 0; n < impulse.length; n++) values[4 * n] = impulse[n] / size;
    transforms.forward(this.#turns.at, this.#x.at, size);
    return Float64Array.from({ length: 2 * size }, (_, k) => values[4 * (k >> 1) + 2 * (k & 1)]);
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

/** What parts of each length are turned by, the whole first: one after the other as they are read, since what lies far apart is slow to come by. */
function turnsOf(size: number): number[] {
  const turns: number[] = [];
  for (let step = 1; size / step >= 4; step *= 4)
    for (let k = 0; k < size / step / 4; k++)
      for (const times of [1, 2, 3]) {
        const angle = (2 * PI * (times * k * step)) / size;
        turns.push(cos(angle), -sin(angle));
      }
  return turns;
}

const kept = new Map<number, FourfoldFft>();

export function fourfoldFft(size: number): FourfoldFft {
  let fft = kept.get(size);
  if (!fft) kept.set(size, (fft = new FourfoldFft(size)));
  return fft;
}
