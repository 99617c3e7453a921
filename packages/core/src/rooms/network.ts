import { absorptionOf } from './absorption.ts';
import { characters } from './character.ts';
import { reflections, type Reflection } from './reflections.ts';
import { isNetwork, type AnySound, type Ringing, type RoomSound, type Sides } from './room.ts';

const { max, min, round, sqrt } = Math;

/** As many ways round. */
export const lines = 16;
/** Far under the last bit of any file: nothing, before it becomes one of the numbers that slow a processor down. */
const nothing = 1e-24;
/** While what it loses is changed, it goes there by this share every so many frames: within some 60 ms, in steps that are not heard. */
const towards = 0.003;
const fineStretch = 8;
/** As near as this it is there. */
const there = 1e-7;
const longestStretch = 64;
/** No more frames are asked for at once. */
const longestBlock = 128;

function isPrime(number: number): boolean {
  for (let by = 2; by * by <= number; by++) if (number % by === 0) return false;
  return number > 1;
}

/** The longest way round takes no more than this share of the decay, or hardly anything would come back of it. */
const longestShare = 1 / 4;

/** Lengths of the lines in frames: spread evenly in octaves, prime, so that no two of them meet; shorter where it dies away before they end. */
export function lineFrames({ kind, sizePercent, decayS }: RoomSound, rateHz: number): number[] {
  const { shortestMs, longestMs } = characters[kind];
  const room = (1000 * longestShare * decayS) / ((longestMs * sizePercent) / 100);
  // In steps of a quarter of an octave: each is another network.
  const size = (sizePercent / 100) * min(1, 2 ** (Math.floor(4 * Math.log2(room)) / 4));
  const found: number[] = [];
  for (let n = 0; n < lines; n++) {
    const ms = shortestMs * (longestMs / shortestMs) ** (n / (lines - 1));
    let frames = max(2, round((ms * size * rateHz) / 1000));
    while (!isPrime(frames) || found.includes(frames)) frames++;
    found.push(frames);
  }
  return found;
}

/** Signs of a row of the Hadamard matrix of 16: any two rows are orthogonal. */
const signs = (row: number) =>
  Float64Array.from({ length: lines }, (_, n) => {
    let bits = row & n;
    let odd = 0;
    for (; bits; bits >>= 1) odd ^= bits & 1;
    return odd ? -1 : 1;
  });

/** In which each side goes in, and rows of the matrix as which they come out: four that are orthogonal to each other. */
const inLeft = signs(3);
const inRight = signs(5);
const outLeft = 9;
const outRight = 14;

/**
 * A room: first reflections of a box, and a feedback delay network of sixteen lines with a unitary matrix (Jot and Chaigne, 1991). Works
 * through both sides in order; linear, and the same whenever it begins from silence. Of white noise its early and its late part are each as loud as what comes
 * in.
 */
export class Network implements Ringing {
  readonly #lines: readonly number[];
  readonly #made: RoomSound;
  readonly #rateHz: number;
  readonly #mask: number;
  /** All lines in one buffer, each in a stretch of its own. */
  readonly #delay: Float64Array;
  readonly #starts: Int32Array;
  readonly #read: Int32Array;
  /** b0, b1, b2, a1, a2 of each line, and where they go to. */
  readonly #loss = new Float64Array(5 * lines);
  readonly #lossGoal = new Float64Array(5 * lines);
  readonly #first = new Float64Array(lines);
  readonly #second = new Float64Array(lines);
  readonly #stretch: number;
  readonly #rows: readonly Float64Array[];
  readonly #early: readonly Taps[];
  readonly #past: readonly [Float64Array, Float64Array];
  readonly #pastMask: number;
  #scale = 0;
  #scaleGoal = 0;
  #moves = false;
  #at = 0;

  constructor(sound: RoomSound, rateHz: number) {
    this.#made = sound;
    this.#rateHz = rateHz;
    this.#lines = lineFrames(sound, rateHz);
    const room = 2 ** Math.ceil(Math.log2(max(...this.#lines) + 1));
    this.#mask = room - 1;
    this.#delay = new Float64Array(room * lines);
    this.#starts = Int32Array.from({ length: lines }, (_, n) => n * room);
    this.#read = Int32Array.from(this.#lines);
    this.#stretch = min(longestStretch, ...this.#lines);
    this.#rows = this.#lines.map(() => new Float64Array(this.#stretch));
    const character = characters[sound.kind];
    const early = (['left', 'right'] as const).map((source) =>
      reflections(character, source, sound.sizePercent / 100, rateHz),
    );
    this.#early = early.map(taps);
    const latest = max(1, ...early.flat().map(({ frames }) => frames));
    const past = 2 ** Math.ceil(Math.log2(latest + longestBlock));
    // Twice, one behind the other: what is read never goes round their end.
    this.#past = [new Float64Array(2 * past), new Float64Array(2 * past)];
    this.#pastMask = past - 1;
    this.aim(sound);
    this.settle();
  }

  fits(sound: AnySound): boolean {
    return (
      isNetwork(sound) &&
      sound.kind === this.#made.kind &&
      sound.sizePercent === this.#made.sizePercent &&
      lineFrames(sound, this.#rateHz).every((frames, n) => frames === this.#lines[n])
    );
  }

  aim(sound: AnySound): void {
    if (!isNetwork(sound)) return;
    this.#moves = true;
    let kept = 0;
    for (const [n, frames] of this.#lines.entries()) {
      const { b0, b1, b2, a1, a2 } = absorptionOf(sound, frames, this.#rateHz);
      this.#lossGoal.set([b0, b1, b2, a1, a2], 5 * n);
      kept +=
        absorptionOf({ ...sound, lowPercent: 100, highPercent: 100 }, frames, this.#rateHz).b0 **
          2 /
        lines;
    }
    // What is heard of one impulse on both sides, time after time, is as much as there was of it. It goes in so: what rings already stays as loud.
    this.#scaleGoal = sqrt((1 - kept) / (2 * kept));
  }

  settle(): void {
    this.#loss.set(this.#lossGoal);
    this.#scale = this.#scaleGoal;
    this.#moves = false;
  }

  clear(): void {
    this.settle();
    for (const past of [this.#delay, this.#first, this.#second, ...this.#past]) past.fill(0);
  }

  process(left: Float64Array, right: Float64Array, early: Sides, late: Sides, count: number): void {
    // What comes out of a line was put in before: stretches that are shorter than all of them are done line by line.
    for (let from = 0; from < count;) {
      const to = min(count, from + (this.#moves ? min(fineStretch, this.#stretch) : this.#stretch));
      if (this.#moves) this.#glide();
      this.#ring(left, right, late, from, to);
      from = to;
    }
    this.#reflect(left, right, early, count);
    this.#at = (this.#at + count) & 0x3fffffff;
  }

  #ring(
    left: Float64Array,
    right: Float64Array,
    [outL, outR]: Sides,
    from: number,
    to: number,
  ): void {
    const delay = this.#delay;
    const mask = this.#mask;
    const rows = this.#rows;
    const loss = this.#loss;
    const count = to - from;
    const scale = this.#scale;
    for (let n = 0; n < 16; n++) {
      const row = rows[n];
      const start = this.#starts[n];
      const read = this.#at + from - this.#read[n];
      const k = 5 * n;
      const b0 = loss[k];
      const b1 = loss[k + 1];
      const b2 = loss[k + 2];
      const a1 = loss[k + 3];
      const a2 = loss[k + 4];
      let first = this.#first[n];
      let second = this.#second[n];
      for (let i = 0; i < count; i++) {
        const x = delay[start + ((read + i) & mask)];
        const y = b0 * x + first;
        first = b1 * x - a1 * y + second;
        second = b2 * x - a2 * y;
        row[i] = y;
      }
      this.#first[n] = first < nothing && first > -nothing ? 0 : first;
      this.#second[n] = second < nothing && second > -nothing ? 0 : second;
    }
    hadamard(rows, count);
    for (let i = 0; i < count; i++) {
      outL[from + i] = rows[outLeft][i];
      outR[from + i] = rows[outRight][i];
    }
    for (let n = 0; n < 16; n++) {
      const row = rows[n];
      const start = this.#starts[n];
      const write = this.#at + from;
      const fromLeft = 0.25 * scale * inLeft[n];
      const fromRight = 0.25 * scale * inRight[n];
      for (let i = 0; i < count; i++) {
        const value = 0.25 * row[i] + fromLeft * left[from + i] + fromRight * right[from + i];
        delay[start + ((write + i) & mask)] = value < nothing && value > -nothing ? 0 : value;
      }
    }
  }

  #reflect(left: Float64Array, right: Float64Array, [toLeft, toRight]: Sides, count: number): void {
    toLeft.fill(0, 0, count);
    toRight.fill(0, 0, count);
    const mask = this.#pastMask;
    const at = this.#at;
    for (let side = 0; side < 2; side++) {
      const past = this.#past[side];
      const input = side === 0 ? left : right;
      for (let n = 0; n < count; n++) {
        const place = (at + n) & mask;
        past[place] = input[n];
        past[place + mask + 1] = input[n];
      }
      const { frames, gainsLeft, gainsRight } = this.#early[side];
      // Four at once, added up in their order.
      for (let k = 0; k < frames.length; k += 4) {
        const one = (at - frames[k]) & mask;
        const two = (at - frames[k + 1]) & mask;
        const three = (at - frames[k + 2]) & mask;
        const four = (at - frames[k + 3]) & mask;
        const oneLeft = gainsLeft[k];
        const oneRight = gainsRight[k];
        const twoLeft = gainsLeft[k + 1];
        const twoRight = gainsRight[k + 1];
        const threeLeft = gainsLeft[k + 2];
        const threeRight = gainsRight[k + 2];
        const fourLeft = gainsLeft[k + 3];
        const fourRight = gainsRight[k + 3];
        for (let n = 0; n < count; n++) {
          const a = past[one + n];
          const b = past[two + n];
          const c = past[three + n];
          const d = past[four + n];
          toLeft[n] = toLeft[n] + oneLeft * a + twoLeft * b + threeLeft * c + fourLeft * d;
          toRight[n] = toRight[n] + oneRight * a + twoRight * b + threeRight * c + fourRight * d;
        }
      }
    }
  }

  #glide(): void {
    const loss = this.#loss;
    let apart = Math.abs(this.#scaleGoal - this.#scale);
    for (let n = 0; n < loss.length; n++) {
      apart = max(apart, Math.abs(this.#lossGoal[n] - loss[n]));
      loss[n] += towards * (this.#lossGoal[n] - loss[n]);
    }
    this.#scale += towards * (this.#scaleGoal - this.#scale);
    if (apart < there) this.settle();
  }
}

/** In fours: what is missing of the last has no gain. */
interface Taps {
  readonly frames: Int32Array;
  readonly gainsLeft: Float64Array;
  readonly gainsRight: Float64Array;
}

function taps(found: readonly Reflection[]): Taps {
  const fours = Array.from(
    { length: 4 * Math.ceil(found.length / 4) },
    (_, n) => found.at(n) ?? { frames: 0, left: 0, right: 0 },
  );
  return {
    frames: Int32Array.from(fours, ({ frames }) => frames),
    gainsLeft: Float64Array.from(fours, ({ left }) => left),
    gainsRight: Float64Array.from(fours, ({ right }) => right),
  };
}

/** Sylvester's matrix of 16 over rows of values, in place, not scaled: each row becomes a sum of all with signs. Two steps at once. */
function hadamard(rows: readonly Float64Array[], count: number): void {
  for (let n = 0; n < 16; n += 4) four(rows[n], rows[n + 1], rows[n + 2], rows[n + 3], count);
  for (let n = 0; n < 4; n++) four(rows[n], rows[n + 4], rows[n + 8], rows[n + 12], count);
}

function four(
  one: Float64Array,
  two: Float64Array,
  three: Float64Array,
  last: Float64Array,
  count: number,
): void {
  for (let i = 0; i < count; i++) {
    const a = one[i] + two[i];
    const b = one[i] - two[i];
    const c = three[i] + last[i];
    const d = three[i] - last[i];
    one[i] = a + c;
    two[i] = b + d;
    three[i] = a - c;
    last[i] = b - d;
  }
}
