import type FFT from 'fft.js';
import { fftOf } from '../signal/spectrum.ts';
import { hushed } from './hushed.ts';
import { partSizes, type PartSpectra, type RoomResponse } from './response.ts';
import type { AnySound, Ringing, Sides } from './room.ts';

const { ceil, max, min } = Math;

/** With so much of the other side in each, both are the middle. */
const half = 0.5;
/** As long as any gain takes, in s. */
const goesOverS = 0.02;

/** So many frames come in at once. */
const [stretch] = partSizes;

const pair = (frames: number): Sides => [new Float64Array(frames), new Float64Array(frames)];

/**
 * Convolution of two sides, each with its own response, in parts of one size (overlap-save, Stockham 1966): both sides go through one transform, one
 * as its real and one as its imaginary part. All memory is got beforehand.
 */
class Parts {
  readonly #part: number;
  readonly #bins: number;
  readonly #fft: FFT;
  readonly #kernels: readonly [PartSpectra, PartSpectra];
  /** Spectra of what came in, of as many parts as the responses have: a ring. */
  readonly #past: readonly { readonly re: Float32Array; readonly im: Float32Array }[];
  /** Whether anything was in them. */
  readonly #sounding: Uint8Array;
  readonly #input: number[];
  readonly #spectrum: number[];
  readonly #before: Sides;
  readonly #sums: readonly { readonly re: Float64Array; readonly im: Float64Array }[];
  /** Whether there is anything in the sums. */
  #summed = false;
  /** Parts that came in since it was empty: what the ring holds besides is of before. */
  #came = 0;

  constructor(part: number, kernels: readonly [PartSpectra, PartSpectra]) {
    const bins = part + 1;
    const { parts } = kernels[0];
    const spectra = () => ({
      re: new Float32Array(parts * bins),
      im: new Float32Array(parts * bins),
    });
    const sums = () => ({ re: new Float64Array(bins), im: new Float64Array(bins) });
    this.#part = part;
    this.#bins = bins;
    this.#fft = fftOf(2 * part);
    this.#kernels = kernels;
    this.#past = [spectra(), spectra()];
    this.#sounding = new Uint8Array(parts);
    this.#input = this.#fft.createComplexArray();
    this.#spectrum = this.#fft.createComplexArray();
    this.#before = pair(part);
    this.#sums = [sums(), sums()];
  }

  get parts(): number {
    return this.#kernels[0].parts;
  }

  clear(): void {
    this.#came = 0;
    for (const side of this.#before) side.fill(0);
    this.#begin();
  }

  #begin(): void {
    if (!this.#summed) return;
    this.#summed = false;
    for (const { re, im } of this.#sums) {
      re.fill(0);
      im.fill(0);
    }
  }

  /** Takes in a part of both sides; its sums begin anew. */
  hear(left: Float64Array, right: Float64Array): void {
    const part = this.#part;
    const input = this.#input;
    const beforeLeft = this.#before[0];
    const beforeRight = this.#before[1];
    let sounding = false;
    for (let n = 0; n < part; n++) {
      const at = 2 * n;
      input[at] = beforeLeft[n];
      input[at + 1] = beforeRight[n];
      input[at + 2 * part] = left[n];
      input[at + 2 * part + 1] = right[n];
      sounding ||= beforeLeft[n] !== 0 || beforeRight[n] !== 0 || left[n] !== 0 || right[n] !== 0;
      beforeLeft[n] = left[n];
      beforeRight[n] = right[n];
    }
    this.#begin();
    if (this.parts === 0) return;
    const place = this.#came % this.parts;
    this.#came++;
    this.#sounding[place] = sounding ? 1 : 0;
    if (sounding) this.#transform(place * this.#bins);
  }

  /** The two sides out of their common transform. */
  #transform(from: number): void {
    const part = this.#part;
    const spectrum = this.#spectrum;
    const leftRe = this.#past[0].re;
    const leftIm = this.#past[0].im;
    const rightRe = this.#past[1].re;
    const rightIm = this.#past[1].im;
    this.#fft.transform(spectrum, this.#input);
    for (let k = 0; k <= part; k++) {
      const at = 2 * k;
      const mirror = k === 0 ? 0 : 2 * (2 * part - k);
      const re = spectrum[at];
      const im = spectrum[at + 1];
      const otherRe = spectrum[mirror];
      const otherIm = spectrum[mirror + 1];
      leftRe[from + k] = (re + otherRe) / 2;
      leftIm[from + k] = (im - otherIm) / 2;
      rightRe[from + k] = (im + otherIm) / 2;
      rightIm[from + k] = (otherRe - re) / 2;
    }
  }

  /** Adds up what the parts of the responses from one to another make of what came in. */
  add(from: number, to: number): void {
    const last = min(to, this.parts, this.#came);
    for (let p = from; p < last; p++) {
      const place = (this.#came - 1 - p) % this.parts;
      if (this.#sounding[place] === 0) continue;
      this.#summed = true;
      this.#addPart(0, p, place);
      this.#addPart(1, p, place);
    }
  }

  #addPart(side: 0 | 1, p: number, place: number): void {
    const bins = this.#bins;
    const kernel = this.#kernels[side];
    const past = this.#past[side];
    const sums = this.#sums[side];
    const kernelRe = kernel.re;
    const kernelIm = kernel.im;
    const pastRe = past.re;
    const pastIm = past.im;
    const sumRe = sums.re;
    const sumIm = sums.im;
    let h = p * bins;
    let x = place * bins;
    for (let k = 0; k < bins; k++, h++, x++) {
      const a = kernelRe[h];
      const b = kernelIm[h];
      const c = pastRe[x];
      const d = pastIm[x];
      sumRe[k] += a * c - b * d;
      sumIm[k] += a * d + b * c;
    }
  }

  /** What the sums sound like, of both sides. */
  write(left: Float64Array, right: Float64Array): void {
    const part = this.#part;
    if (!this.#summed) {
      left.fill(0, 0, part);
      right.fill(0, 0, part);
      return;
    }
    const spectrum = this.#spectrum;
    const leftRe = this.#sums[0].re;
    const leftIm = this.#sums[0].im;
    const rightRe = this.#sums[1].re;
    const rightIm = this.#sums[1].im;
    for (let k = 0; k <= part; k++) {
      const at = 2 * k;
      const mirror = k === 0 ? 0 : 2 * (2 * part - k);
      spectrum[mirror] = leftRe[k] + rightIm[k];
      spectrum[mirror + 1] = rightRe[k] - leftIm[k];
      spectrum[at] = leftRe[k] - rightIm[k];
      spectrum[at + 1] = leftIm[k] + rightRe[k];
    }
    this.#fft.inverseTransform(this.#input, spectrum);
    for (let n = 0; n < part; n++) {
      left[n] = hushed(this.#input[2 * (part + n)]);
      right[n] = hushed(this.#input[2 * (part + n) + 1]);
    }
  }
}

/**
 * Longer parts, which come in stretch by stretch: what the one before makes is worked out meanwhile, a share with each stretch, so that no moment has more to do than
 * another, and is heard while the next one comes in.
 */
class LongParts {
  readonly #parts: Parts;
  readonly #steps: number;
  readonly #share: number;
  readonly #first: number;
  readonly #coming: Sides;
  readonly #ready: Sides;
  #step: number;

  /** @param first the step that it begins at, so that several do not all transform at the same moment */
  constructor(size: number, kernels: readonly [PartSpectra, PartSpectra], first: number) {
    this.#parts = new Parts(size, kernels);
    this.#steps = size / stretch;
    this.#share = max(1, ceil(this.#parts.parts / this.#steps));
    this.#first = first % this.#steps;
    this.#step = this.#first;
    this.#coming = pair(size);
    this.#ready = pair(size);
  }

  clear(): void {
    this.#parts.clear();
    this.#step = this.#first;
    for (const side of [...this.#coming, ...this.#ready]) side.fill(0);
  }

  /** Takes in a stretch and adds one to both sides. */
  process(input: Sides, lateLeft: Float64Array, lateRight: Float64Array): void {
    const at = this.#step * stretch;
    const readyLeft = this.#ready[0];
    const readyRight = this.#ready[1];
    const comingLeft = this.#coming[0];
    const comingRight = this.#coming[1];
    if (this.#step === 0) this.#parts.hear(comingLeft, comingRight);
    for (let n = 0; n < stretch; n++) {
      lateLeft[n] += readyLeft[at + n];
      lateRight[n] += readyRight[at + n];
      comingLeft[at + n] = input[0][n];
      comingRight[at + n] = input[1][n];
    }
    this.#parts.add(this.#step * this.#share, (this.#step + 1) * this.#share);
    this.#step++;
    if (this.#step < this.#steps) return;
    this.#step = 0;
    this.#parts.write(readyLeft, readyRight);
  }
}

/** How many were made: each begins its long parts elsewhere, so that several, also of one response, do not transform at the same moment. */
let made = 0;
/** Odd, so that every step of any size comes in turn. */
const apart = 23;

/** A room of a recorded response: its beginning is worked out at once, in short parts, what comes later in longer ones. */
export class Convolved implements Ringing {
  readonly #key: string;
  readonly #head: Parts;
  readonly #later: readonly LongParts[];
  readonly #input = pair(stretch);
  /** It goes over by so much each frame. */
  readonly #slope: number;
  #together: boolean;
  /** How much of the other side goes into each. */
  #across: number;

  constructor({ key, levels }: RoomResponse, { own }: AnySound, rateHz: number) {
    this.#key = key;
    this.#slope = half / (goesOverS * rateHz);
    this.#head = new Parts(stretch, levels[0]);
    const first = apart * made++;
    this.#later = levels.flatMap((kernels, n) =>
      n === 0 || kernels[0].parts === 0 ? [] : [new LongParts(partSizes[n], kernels, first)],
    );
    this.#together = own.together;
    this.#across = own.together ? half : 0;
  }

  fits({ kind, response }: AnySound): boolean {
    return kind === 'own' && response?.key === this.#key;
  }

  aim({ own }: AnySound): void {
    this.#together = own.together;
  }

  settle(): void {
    this.#across = this.#together ? half : 0;
  }

  clear(): void {
    this.settle();
    this.#head.clear();
    for (const parts of this.#later) parts.clear();
  }

  process(
    left: Float64Array,
    right: Float64Array,
    [earlyLeft, earlyRight]: Sides,
    [lateLeft, lateRight]: Sides,
    count: number,
  ): void {
    if (count !== stretch) throw new Error(`A response takes in ${stretch} frames at once.`);
    earlyLeft.fill(0, 0, count);
    earlyRight.fill(0, 0, count);
    this.#takeIn(left, right);
    this.#head.hear(this.#input[0], this.#input[1]);
    this.#head.add(0, this.#head.parts);
    this.#head.write(lateLeft, lateRight);
    for (let n = 0; n < this.#later.length; n++)
      this.#later[n].process(this.#input, lateLeft, lateRight);
  }

  /** Each side, or the middle on both. */
  #takeIn(left: Float64Array, right: Float64Array): void {
    const inLeft = this.#input[0];
    const inRight = this.#input[1];
    const slope = this.#together ? this.#slope : -this.#slope;
    let across = this.#across;
    for (let n = 0; n < stretch; n++) {
      across = max(0, min(half, across + slope));
      inLeft[n] = left[n] + across * (right[n] - left[n]);
      inRight[n] = right[n] + across * (left[n] - right[n]);
    }
    this.#across = across;
  }
}

/** What nothing is known of yet: it gives nothing back. */
export class Silent implements Ringing {
  fits({ kind, response }: AnySound): boolean {
    return kind === 'own' && response === undefined;
  }

  aim(): void {}

  settle(): void {}

  clear(): void {}

  process(_: Float64Array, __: Float64Array, early: Sides, late: Sides, count: number): void {
    for (const [left, right] of [early, late]) {
      left.fill(0, 0, count);
      right.fill(0, 0, count);
    }
  }
}
