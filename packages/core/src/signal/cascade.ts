import type { BiquadCoefficients } from './biquad.ts';
import { addressOf, loops, memory, takeRoom } from './loops.ts';

/** So many values at once lie in the loops' memory, and stay at hand for all sections. */
export const stretchFrames = 4096;
const stretch = takeRoom(stretchFrames);
/** What lies there now: of one length for all quanta that are played, so that nothing is made for them. */
let view = memory.subarray(stretch, stretch + stretchFrames);
/** Of two sections. */
const factorsOfPair = 10;
const stateOfPair = 4;
const factors = takeRoom(factorsOfPair);
const state = takeRoom(stateOfPair);

/** What goes through it as it is, beside the last of an odd number. */
const open: BiquadCoefficients = { b0: 1, b1: 0, b2: 0, a1: 0, a2: 0 };

/** Several second-order sections one after the other, in place: each does what `Biquad` does. */
export class Cascade {
  /** Of two sections each, in the order in which the loop has them. */
  readonly #pairs: readonly { readonly factors: Float64Array; readonly state: Float64Array }[];

  constructor(sections: readonly BiquadCoefficients[]) {
    this.#pairs = Array.from({ length: Math.ceil(sections.length / 2) }, (_, n) => {
      const [one, other = open] = sections.slice(2 * n, 2 * n + 2);
      return {
        factors: Float64Array.of(
          ...[one.b0, other.b0, one.b1, other.b1, one.b2, other.b2],
          ...[one.a1, other.a1, one.a2, other.a2],
        ),
        state: new Float64Array(stateOfPair),
      };
    });
  }

  process(samples: Float64Array): void {
    if (this.#pairs.length === 0) return;
    if (samples.length <= stretchFrames) this.#work(samples);
    else
      for (let from = 0; from < samples.length; from += stretchFrames)
        this.#work(samples.subarray(from, from + stretchFrames));
  }

  #work(samples: Float64Array): void {
    const count = samples.length;
    if (view.length !== count) view = memory.subarray(stretch, stretch + count);
    view.set(samples);
    this.processAt(stretch, count);
    samples.set(view);
  }

  /** What lies at a place of the loops' memory, in place. */
  processAt(place: number, count: number): void {
    if (count === 0) return;
    for (const pair of this.#pairs) {
      memory.set(pair.factors, factors);
      memory.set(pair.state, state);
      loops.filterPair(addressOf(factors), addressOf(state), addressOf(place), count);
      for (let n = 0; n < stateOfPair; n++) pair.state[n] = memory[state + n];
    }
  }

  clear(): void {
    for (const pair of this.#pairs) pair.state.fill(0);
  }

  /** What it remembers, to go on from there another time. */
  get state(): readonly number[] {
    return this.#pairs.flatMap((pair) => [...pair.state]);
  }

  set state(remembered: readonly number[]) {
    for (const [n, pair] of this.#pairs.entries())
      pair.state.set(remembered.slice(stateOfPair * n, stateOfPair * (n + 1)));
  }
}
