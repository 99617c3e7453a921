import { highShelf } from '../signal/filters.ts';
import { Biquad } from '../signal/biquad.ts';
import { absorptionOf, type Absorption } from './absorption.ts';
import { hushed } from './hushed.ts';
import type { AnySound, Ringing, Sides } from './room.ts';

const { cos, max, min, PI, round, sqrt } = Math;

/** All-pass sections in a row, each of which makes what lies near the transition later: a chirp. */
const sections = 48;
const coefficient = 0.6;
/** Up to here a spring passes something on; sections are stretched so that they turn there. */
const transitionHz = 4800;
/** Once there and back, in ms at a size of 100 %: two springs that have nothing in common. */
const lengthsMs = [41, 53] as const;
/** What a spring is driven by is lifted: its treble would be lost on the way. */
const lift = { hz: 2000, db: 5, q: 0.7 } as const;
/** So that what the lift adds does not make it louder than any other room. */
const level = 0.5;
/** Each spring hangs on its own side, and a little on the other: of equal power together. */
const own = 0.9;
const other = sqrt(1 - own * own);
/** Decays are told at this frequency; see `absorption.ts` for the others. */
const middleHz = 1000;
const highHz = 4000;
/** What it loses goes to where it is set by this share with each stretch of so many frames. */
const towards = 0.01;
const fineStretch = 16;
const longestBlock = 128;

function stretchOf(rateHz: number): number {
  return max(1, round(rateHz / (2 * transitionHz)));
}

/** How long all sections together hold a frequency, in frames: the group delay of stretched all-passes of first order. */
function heldFrames(hz: number, rateHz: number): number {
  const stretch = stretchOf(rateHz);
  const turned = cos((2 * PI * hz * stretch) / rateHz);
  const each = (1 - coefficient ** 2) / (1 + 2 * coefficient * turned + coefficient ** 2);
  return sections * stretch * each;
}

function lineFrames(ms: number, { sizePercent }: AnySound, rateHz: number): number {
  return max(longestBlock, round((ms * sizePercent * rateHz) / 100_000));
}

/** Once round at a frequency, in frames. */
const roundFrames = (line: number, hz: number, rateHz: number) => line + heldFrames(hz, rateHz);

/** What one spring loses each time round: highs stay in it for longer, and lose more for that. */
function lossOf(sound: AnySound, line: number, rateHz: number): Absorption {
  const middle = roundFrames(line, middleHz, rateHz);
  const longer = roundFrames(line, min(highHz, rateHz / 4), rateHz) / middle;
  // Between once and twice: where highs are told the shelf has taken half of what it takes.
  return absorptionOf(
    { ...sound, highPercent: sound.highPercent / longer ** 1.75 },
    middle,
    rateHz,
  );
}

/** How long a spring remembers what went in, to −120 dB, in frames. */
export function springMemory(sound: AnySound, rateHz: number): number {
  const { decayS, lowPercent, highPercent } = sound;
  const longest = (decayS * max(100, lowPercent, highPercent)) / 100;
  const held = 40 * sections * stretchOf(rateHz);
  return Math.ceil(2.6 * longest * rateHz) + held + 2 * lineFrames(lengthsMs[1], sound, rateHz);
}

/** One spring: a delay and a row of stretched all-passes in a loop (after Välimäki, Parker and Abel, J. Audio Eng. Soc. 58, 2010). */
class OneSpring {
  readonly #line: Float64Array;
  readonly #mask: number;
  readonly #frames: number;
  readonly #stretch: number;
  /** What each section keeps, one behind the other. */
  readonly #kept: Float64Array;
  readonly #loss = new Float64Array(5);
  readonly #goal = new Float64Array(5);
  readonly #states = new Float64Array(2);
  readonly #way = new Float64Array(longestBlock);
  readonly #rateHz: number;
  #scale = 0;
  #scaleGoal = 0;
  #turn = 0;
  #at = 0;

  constructor(ms: number, sound: AnySound, rateHz: number) {
    this.#rateHz = rateHz;
    this.#stretch = stretchOf(rateHz);
    this.#frames = lineFrames(ms, sound, rateHz);
    const room = 2 ** Math.ceil(Math.log2(this.#frames + longestBlock));
    this.#line = new Float64Array(room);
    this.#mask = room - 1;
    this.#kept = new Float64Array(sections * this.#stretch);
    this.aim(sound);
    this.settle();
  }

  aim(sound: AnySound): void {
    const { b0, b1, b2, a1, a2 } = lossOf(sound, this.#frames, this.#rateHz);
    this.#goal.set([b0, b1, b2, a1, a2]);
    const once = roundFrames(this.#frames, middleHz, this.#rateHz);
    const even = absorptionOf(
      { ...sound, lowPercent: 100, highPercent: 100 },
      once,
      this.#rateHz,
    ).b0;
    // Of noise it gives back, all times together, as much as a room of the same decay.
    this.#scaleGoal = level * sqrt(1 - even * even);
  }

  settle(): void {
    this.#loss.set(this.#goal);
    this.#scale = this.#scaleGoal;
  }

  clear(): void {
    this.settle();
    for (const past of [this.#line, this.#kept, this.#states]) past.fill(0);
  }

  /** @param count 16 at most */
  process(input: Float64Array, out: Float64Array, from: number, count: number): void {
    this.#glide();
    const way = this.#way;
    const line = this.#line;
    const mask = this.#mask;
    const loss = this.#loss;
    const b0 = loss[0];
    const b1 = loss[1];
    const b2 = loss[2];
    const a1 = loss[3];
    const a2 = loss[4];
    let first = this.#states[0];
    let second = this.#states[1];
    const read = this.#at - this.#frames;
    for (let n = 0; n < count; n++) {
      const x = line[(read + n) & mask];
      out[from + n] = x;
      const y = b0 * x + first;
      first = b1 * x - a1 * y + second;
      second = b2 * x - a2 * y;
      way[n] = this.#scale * input[from + n] + y;
    }
    this.#states[0] = hushed(first);
    this.#states[1] = hushed(second);
    this.#disperse(count);
    for (let n = 0; n < count; n++) line[(this.#at + n) & mask] = hushed(way[n]);
    this.#at = (this.#at + count) & 0x3fffffff;
  }

  #disperse(count: number): void {
    const way = this.#way;
    const kept = this.#kept;
    const stretch = this.#stretch;
    for (let k = 0; k < sections; k++) {
      const start = k * stretch;
      let turn = this.#turn;
      for (let n = 0; n < count; n++) {
        const x = way[n];
        const y = coefficient * x + kept[start + turn];
        kept[start + turn] = x - coefficient * y;
        way[n] = y;
        turn = turn + 1 === stretch ? 0 : turn + 1;
      }
    }
    this.#turn = (this.#turn + count) % stretch;
  }

  #glide(): void {
    for (let k = 0; k < 5; k++) this.#loss[k] += towards * (this.#goal[k] - this.#loss[k]);
    this.#scale += towards * (this.#scaleGoal - this.#scale);
  }
}

/** Two springs, one for each side; all of what they give back is late. */
export class Spring implements Ringing {
  readonly #size: number;
  readonly #springs: readonly [OneSpring, OneSpring];
  readonly #lifts: readonly [Biquad, Biquad];
  readonly #inputs = [new Float64Array(longestBlock), new Float64Array(longestBlock)] as const;

  constructor(sound: AnySound, rateHz: number) {
    this.#size = sound.sizePercent;
    const [left, right] = lengthsMs;
    this.#springs = [new OneSpring(left, sound, rateHz), new OneSpring(right, sound, rateHz)];
    const section = highShelf(min(lift.hz, rateHz / 5), lift.db, lift.q, rateHz);
    this.#lifts = [new Biquad(section), new Biquad(section)];
  }

  fits({ kind, sizePercent }: AnySound): boolean {
    return kind === 'spring' && sizePercent === this.#size;
  }

  aim(sound: AnySound): void {
    for (const spring of this.#springs) spring.aim(sound);
  }

  settle(): void {
    for (const spring of this.#springs) spring.settle();
  }

  clear(): void {
    for (const spring of this.#springs) spring.clear();
    for (const one of this.#lifts) one.clear();
  }

  process(left: Float64Array, right: Float64Array, early: Sides, late: Sides, count: number): void {
    const [toLeft, toRight] = this.#inputs;
    early[0].fill(0, 0, count);
    early[1].fill(0, 0, count);
    for (let n = 0; n < count; n++) {
      toLeft[n] = own * left[n] + other * right[n];
      toRight[n] = own * right[n] + other * left[n];
    }
    this.#lifts[0].process(toLeft, toLeft, count);
    this.#lifts[1].process(toRight, toRight, count);
    for (let from = 0; from < count; from += fineStretch) {
      const length = min(fineStretch, count - from);
      this.#springs[0].process(toLeft, late[0], from, length);
      this.#springs[1].process(toRight, late[1], from, length);
    }
  }
}
