import { fourfoldFft, type Four, type FourfoldFft } from '../signal/fourfold-fft.ts';
import { nextPowerOfTwo } from '../signal/spectrum.ts';
import { openRoom, transforms, type Room } from '../signal/transforms.ts';

const { ceil, cos, sin, sqrt, PI } = Math;

/** Places that are looked at together: as many as go through one transform. */
export const rowsAtOnce = 4;

/** All in samples of what is looked at: one in `factor` of the take. */
interface LagRoomsShape {
  readonly window: number;
  readonly longest: number;
  readonly factor: number;
  readonly rows: number;
  readonly step: number;
}

/** The low-pass for one sample in `factor` sees so many frames to either side. */
const reachOf = (factor: number) => (factor === 1 ? 0 : 6 * factor);

const kept = new Map<string, LagRooms>();

/**
 * What a table of lags is worked out in: one for each shape in each thread, so that it need not be given back. What lies in it is its user's until they let
 * something else run.
 */
export class LagRooms {
  readonly #factor: number;
  readonly #length: number;
  readonly #fft: FourfoldFft;
  readonly #low: Float64Array;
  readonly #weights: Room;
  readonly #taken: Room;
  readonly #samples: Room;
  /** Weights of what lies round a place, and of its window, each followed by nothing. */
  readonly #round: Room;
  readonly #window: Room;
  readonly #roundSpectra: Four<Room>;
  readonly #windowSpectra: Four<Room>;
  readonly #products: Four<Room>;
  readonly #ones: Room;
  readonly #correlations: Room;
  /** Of the place that was looked at last. */
  readonly #magnitudes: Float64Array;

  private constructor({ window, longest, factor, rows, step }: LagRoomsShape) {
    this.#factor = factor;
    this.#length = window + longest;
    // What wraps round lies outside the lags that are looked at.
    const size = nextPowerOfTwo(this.#length);
    this.#fft = fourfoldFft(size);
    this.#low = lowPass(factor);
    this.#weights = openRoom(this.#low.length);
    const count = rows * step + this.#length;
    this.#taken = openRoom(ceil((count * factor + this.#low.length) / 2));
    // Transforms read on behind the last of them, where their weights are nothing.
    this.#samples = openRoom(ceil((count + size) / 2));
    this.#roundSpectra = this.#fft.openSpectra();
    this.#windowSpectra = this.#fft.openSpectra();
    this.#products = this.#fft.openSpectra();
    this.#round = openRoom(size);
    this.#window = openRoom(size);
    this.#ones = openRoom(size);
    this.#correlations = openRoom(rowsAtOnce * size);
    this.#weights.values.set(this.#low);
    this.#round.values.fill(1, 0, this.#length);
    this.#window.values.fill(1, 0, window);
    this.#ones.values.fill(1 / size);
    this.#magnitudes = new Float64Array(size / 4 - 1);
  }

  static of(shape: LagRoomsShape): LagRooms {
    const name = Object.values(shape).join('/');
    let rooms = kept.get(name);
    if (!rooms) kept.set(name, (rooms = new LagRooms(shape)));
    return rooms;
  }

  /** Frames of the take that are needed before the first sample and behind the last one. */
  static margin(factor: number): number {
    return reachOf(factor);
  }

  /** Takes one sample in `factor` of the take, low-passed: what is looked at from now on. */
  thin(taken: Float32Array, count: number): Float32Array {
    const [input, samples] = [this.#taken, this.#samples];
    if (this.#factor === 1) {
      samples.singles.set(taken);
    } else {
      input.singles.set(taken);
      const taps = this.#low.length;
      transforms.thin(this.#weights.at, taps, input.at, this.#factor, count, samples.at);
    }
    samples.singles.fill(0, count);
    return samples.singles.subarray(0, count);
  }

  /** Takes up what lies round four places, `step` samples from each other. */
  look(from: number, step: number): void {
    this.#fft.spectraOfWindows(this.#addresses(from, step), this.#round, this.#roundSpectra);
  }

  /** Compares them with four windows, `step` samples from each other. */
  correlate(from: number, step: number): void {
    const { size } = this.#fft;
    this.#fft.spectraOfWindows(this.#addresses(from, step), this.#window, this.#windowSpectra);
    for (let n = 0; n < rowsAtOnce; n++) {
      const product = this.#products[n];
      product.values.fill(0);
      const [window, round] = [this.#windowSpectra[n], this.#roundSpectra[n]];
      transforms.addProduct(product.at, window.at, round.at, size / 2 + 1);
    }
    this.#correlations.values.fill(0);
    const { at } = this.#correlations;
    this.#fft.addFromSpectra(this.#products, this.#ones, at, 8 * size, rowsAtOnce);
  }

  #addresses(from: number, step: number): Four<number> {
    const first = this.#samples.at + 4 * from;
    const apart = 4 * step;
    return [first, first + apart, first + 2 * apart, first + 3 * apart];
  }

  /** How alike a window is to what lies round its place, from the first sample of that on. */
  correlation(row: number): Float64Array {
    const { size } = this.#fft;
    return this.#correlations.values.subarray(row * size, (row + 1) * size);
  }

  /**
   * By how much a place sounds unlike the one that was asked about before it: the mean square of what the magnitudes of their surroundings differ by, through
   * a Hann window, which is four bins wide, so that every second one tells enough.
   */
  change(row: number): number {
    const spectrum = this.#roundSpectra[row].values;
    const magnitudes = this.#magnitudes;
    let sum = 0;
    for (let n = 0; n < magnitudes.length; n++) {
      const k = 4 * n + 4;
      // Half of each bin less a quarter of both beside it; fourfold here.
      const re = 2 * spectrum[k] - spectrum[k - 2] - spectrum[k + 2];
      const im = 2 * spectrum[k + 1] - spectrum[k - 1] - spectrum[k + 3];
      const magnitude = sqrt(re * re + im * im);
      const change = magnitude - magnitudes[n];
      magnitudes[n] = magnitude;
      sum += change * change;
    }
    // By Parseval's theorem: a Hann window leaves 3/8 of the energy, and a quarter of all bins were added up.
    const fourfold = 16;
    return (4 * sum) / (fourfold * 0.375 * this.#fft.size * this.#length);
  }
}

/** A short one for one sample in `factor`: what folds over is what is not looked at closely. An even number of weights, as `thin` wants them. */
function lowPass(factor: number): Float64Array {
  const half = reachOf(factor);
  const taps = new Float64Array(2 * half + 2);
  let sum = 0;
  for (let n = -half; n <= half; n++) {
    const x = (PI * n * 0.9) / factor;
    const value = (n === 0 ? 1 : sin(x) / x) * (0.5 + 0.5 * cos((PI * n) / (half + 1)));
    taps[n + half] = value;
    sum += value;
  }
  return taps.map((value) => value / sum);
}
