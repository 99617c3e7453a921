import type { BiquadCoefficients } from '../signal/biquad.ts';
import { Cascade, stretchFrames } from '../signal/cascade.ts';
import { bell, highPass, highShelf, lowShelf } from '../signal/filters.ts';
import { addressOf, loops, memory, takeRoom } from '../signal/loops.ts';
import { filterMemory, followerMemory, peakGain } from '../signal/memory.ts';
import type { AmpTone } from './amp.ts';

/** What follows the drive: tone, and what a pushed supply does. */
export interface Body {
  readonly tone: AmpTone;
  readonly squashPercent: number;
  readonly recoveryMs: number;
  /** Before all of it, where no drive has it. */
  readonly inputDb: number;
  /** Whether the drive leaves a mean, which is no sound. */
  readonly still: boolean;
}

/** Corners of the tone, common practice for plucked strings. */
const lowHz = 120;
const highHz = 3200;
const presenceHz = 5200;
const shelfQ = 0.6;
const middleQ = 0.8;
const presenceQ = 0.9;
const stillHz = 15;
/** A supply gives way within this. */
const attackMs = 6;
/** At 100 % a signal at full scale is brought down to a quarter. */
const most = 3;
/** Under this what is left of a squash is no longer heard, in dB. */
const floorDb = -20;

/** Whether it leaves a signal as it is. */
export function isNeutralBody({ tone, squashPercent, still, inputDb }: Body): boolean {
  const { lowDb, midDb, highDb, presenceDb } = tone;
  return (
    !still &&
    squashPercent === 0 &&
    inputDb === 0 &&
    [lowDb, midDb, highDb, presenceDb].every((db) => db === 0)
  );
}

/** @param ratio how much higher it is read afterwards */
export function bodySections(
  { tone, still }: Pick<Body, 'tone' | 'still'>,
  rateHz: number,
  ratio: number,
): BiquadCoefficients[] {
  const { lowDb, midDb, midHz, highDb, presenceDb } = tone;
  return [
    ...(still ? [highPass(stillHz, Math.SQRT1_2, rateHz)] : []),
    ...(lowDb === 0 ? [] : [lowShelf(lowHz / ratio, lowDb, shelfQ, rateHz)]),
    ...(midDb === 0 ? [] : [bell(midHz / ratio, midDb, middleQ, rateHz)]),
    ...(highDb === 0 ? [] : [highShelf(highHz / ratio, highDb, shelfQ, rateHz)]),
    ...(presenceDb === 0 ? [] : [bell(presenceHz / ratio, presenceDb, presenceQ, rateHz)]),
  ];
}

/** How long its filters alone remember, in frames. */
function toneMemory(body: Body, rateHz: number, ratio: number): number {
  return filterMemory(bodySections(body, rateHz, ratio));
}

/** The highest peak that can come to the supply, linear: of twice full scale. */
function highestPeak(body: Body, rateHz: number, ratio: number): number {
  return bodySections(body, rateHz, ratio).reduce(
    (gain, section) => gain * peakGain(section),
    2 * 10 ** (Math.max(0, body.inputDb) / 20),
  );
}

/** How long it remembers, in frames, to −120 dB, whatever it hears; mostly it forgets far sooner (`BodyRun.settled`). */
export function bodyMemory(body: Body, rateHz: number, ratio: number): number {
  const filters = toneMemory(body, rateHz, ratio);
  if (body.squashPercent === 0) return filters;
  const highest = highestPeak(body, rateHz, ratio);
  return filters + followerMemory(attackMs, body.recoveryMs, floorDb, highest, rateHz);
}

/** What is played has peaks that are no softer than this. */
const usualPeak = 0.125;

/** How long it remembers, in frames, where nothing soft is played: until its filters forget, and the highest peak has fallen under those that are usual. */
export function usuallyForgotten(body: Body, rateHz: number, ratio: number): number {
  const filters = toneMemory(body, rateHz, ratio);
  if (body.squashPercent === 0) return filters;
  const falls = Math.log(highestPeak(body, rateHz, ratio) / usualPeak);
  return Math.max(filters, Math.ceil((falls * body.recoveryMs * rateHz) / 1000));
}

/** Two followers this near to each other squash alike, to −130 dB. */
const together = 1e-7;

/** So much at once lies in the loops' memory, and what both followers hold and have for a level. */
const stretch = takeRoom(stretchFrames);
const followers = takeRoom(4);

/** How much is left of what falls within so long, one frame later. */
const leftOf = (ms: number, rateHz: number) => Math.exp(-1000 / (ms * rateHz));

/** Works through a source in order. */
export class BodyRun {
  readonly #tone: Cascade;
  /** How both followers rise and fall. */
  readonly #attack: number;
  readonly #release: number;
  readonly #amount: number;
  readonly #gain: number;
  /**
   * Peaks are followed as by `PeakFollower`, by two: one that began with none, which squashes, and one that began with the highest there can be. What came
   * before lies between both. What each holds, and the level of each.
   */
  readonly #followers: Float64Array;

  constructor(body: Body, rateHz: number, ratio: number) {
    this.#tone = new Cascade(bodySections(body, rateHz, ratio));
    this.#attack = leftOf(attackMs, rateHz);
    this.#release = leftOf(body.recoveryMs, rateHz);
    const highest = highestPeak(body, rateHz, ratio);
    this.#followers = Float64Array.of(0, highest, 0, highest);
    this.#gain = 10 ** (body.inputDb / 20);
    this.#amount = (most * body.squashPercent) / 100;
  }

  /** In place. */
  process(samples: Float64Array): void {
    for (let from = 0; from < samples.length; from += stretchFrames)
      this.#work(samples.subarray(from, from + stretchFrames));
  }

  #work(samples: Float64Array): void {
    if (this.#gain !== 1) for (let n = 0; n < samples.length; n++) samples[n] *= this.#gain;
    const count = samples.length;
    memory.set(samples, stretch);
    this.#tone.processAt(stretch, count);
    if (this.#amount > 0) {
      memory.set(this.#followers, followers);
      const [state, at] = [addressOf(followers), addressOf(stretch)];
      loops.squash(this.#attack, this.#release, this.#amount, state, at, count);
      this.#followers.set(memory.subarray(followers, followers + this.#followers.length));
    }
    samples.set(memory.subarray(stretch, stretch + count));
  }

  /** Whether it is as it would be had it heard all that came before: a peak has made it forget that. */
  get settled(): boolean {
    if (this.#amount === 0) return true;
    const [held, mostHeld, level, mostLevel] = this.#followers;
    return mostHeld - held < together && mostLevel - level < together;
  }

  get state(): readonly number[] {
    return [...this.#followers, ...this.#tone.state];
  }

  set state(state: readonly number[]) {
    const own = this.#followers.length;
    this.#followers.set(state.slice(0, own));
    this.#tone.state = state.slice(own);
  }
}
