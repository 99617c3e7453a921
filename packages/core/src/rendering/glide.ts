import { fadeTable } from '../signal/fade.ts';
import { gainChangeMs } from '../parameters/tables.ts';
import { quantumFrames } from './quantum.ts';

const tables = new Map<number, Float64Array>();

/** The fade of a change over about `timeMs`: whole quanta, so that one can follow another without a step between. */
export function changeFade(rateHz: number, timeMs: number): Float64Array {
  const quanta = Math.max(1, Math.round((timeMs * rateHz) / 1000 / quantumFrames));
  let table = tables.get(quanta);
  if (!table) tables.set(quanta, (table = fadeTable(quanta * quantumFrames)));
  return table;
}

/**
 * Takes one state to another over some 20 ms without a click. A glide that runs is finished; of the states that came
 * meanwhile only the latest is gone to.
 */
export class Glide<State> {
  readonly #table: Float64Array;
  readonly #same: (a: State, b: State) => boolean;
  /** Where it comes from, and where it is while it rests. */
  from: State;
  to: State;
  #waiting: State | null = null;
  #step = -1;
  /** For each frame of the quantum: how far it has come, 0 to 1. Only meaningful while `moving`. */
  readonly weights = new Float64Array(quantumFrames);

  constructor(
    rateHz: number,
    state: State,
    same: (a: State, b: State) => boolean,
    timeMs = gainChangeMs,
  ) {
    this.#table = changeFade(rateHz, timeMs);
    this.#same = same;
    this.from = state;
    this.to = state;
  }

  get moving(): boolean {
    return this.#step >= 0;
  }

  /** Whether it stands, or will soon stand, at what it was last aimed at. */
  get goal(): State {
    return this.#waiting ?? this.to;
  }

  aim(state: State): void {
    if (this.moving) {
      this.#waiting = state;
    } else if (!this.#same(state, this.to)) {
      this.to = state;
      this.#step = 0;
    }
  }

  /** Is at its goal at once: before the first sound, and after a jump. */
  settle(): void {
    const goal = this.goal;
    this.from = goal;
    this.to = goal;
    this.#waiting = null;
    this.#step = -1;
  }

  /** Fills `weights` for the next quantum. */
  begin(): void {
    if (this.#step < 0) return;
    const table = this.#table;
    for (let n = 0; n < quantumFrames; n++) {
      const step = this.#step + n;
      this.weights[n] = step < table.length ? table[step] : 1;
    }
  }

  /** To be called after the quantum that `begin` opened. */
  end(): void {
    if (this.#step < 0) return;
    this.#step += quantumFrames;
    if (this.#step < this.#table.length) return;
    this.#step = -1;
    this.from = this.to;
    const waiting = this.#waiting;
    this.#waiting = null;
    if (waiting !== null) this.aim(waiting);
  }
}
