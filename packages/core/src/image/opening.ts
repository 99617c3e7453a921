import { followerMemory } from '../signal/memory.ts';
import { PeakFollower } from '../takes/compressor.ts';
import type { Opening } from './stage.ts';

const { min, max } = Math;

/** The width opens over so many dB round the threshold. */
const openingDb = 6;

/** How long an opening remembers, in frames. */
export function openingMemory(
  { attackMs, releaseMs, thresholdDb }: Opening,
  rateHz: number,
): number {
  return followerMemory(attackMs, releaseMs, thresholdDb ?? 0, 1, rateHz);
}

/** Turns a take into how far the width is open: a gain from 0 to 1. */
export class OpeningRun {
  readonly #follower: PeakFollower;
  readonly #low: number;
  readonly #high: number;

  constructor(opening: Opening, rateHz: number) {
    this.#follower = new PeakFollower(opening.attackMs, opening.releaseMs, rateHz);
    const threshold = 10 ** ((opening.thresholdDb ?? -200) / 20);
    this.#low = threshold * 10 ** (-openingDb / 40);
    this.#high = threshold * 10 ** (openingDb / 40);
  }

  /** In place. */
  process(samples: Float64Array): void {
    const room = this.#high - this.#low;
    for (let n = 0; n < samples.length; n++) {
      const level = this.#follower.next(samples[n]);
      samples[n] = min(1, max(0, (level - this.#low) / room));
    }
  }

  get state(): readonly number[] {
    return this.#follower.state;
  }

  set state(state: readonly number[]) {
    this.#follower.state = state;
  }
}
