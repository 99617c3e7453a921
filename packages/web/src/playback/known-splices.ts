import type { SplicePlan } from '@pannet/core/voices/splices';

/** Splices by their keys, to be handed to another thread. */
export type KnownSplices = readonly (readonly [string, SplicePlan])[];

/** Of all plans together: hours of tuned voices. */
const mostBytes = 48e6;

const bytesOf = ({ starts }: SplicePlan) => 24 * starts.length;

/** Splice plans, those asked for last kept within a bound. */
export class SpliceCache {
  readonly #plans = new Map<string, SplicePlan>();
  readonly #most: number;
  #bytes = 0;

  constructor(most = mostBytes) {
    this.#most = most;
  }

  get(key: string): SplicePlan | undefined {
    const plan = this.#plans.get(key);
    if (plan) {
      this.#plans.delete(key);
      this.#plans.set(key, plan);
    }
    return plan;
  }

  set(key: string, plan: SplicePlan): void {
    const before = this.#plans.get(key);
    if (before) this.#bytes -= bytesOf(before);
    this.#plans.delete(key);
    this.#plans.set(key, plan);
    this.#bytes += bytesOf(plan);
    for (const [oldest, old] of this.#plans) {
      if (this.#bytes <= this.#most || oldest === key) return;
      this.#plans.delete(oldest);
      this.#bytes -= bytesOf(old);
    }
  }

  /** Those of whole takes under these keys. */
  whole(keys: readonly string[]): KnownSplices {
    return keys.flatMap((key) => {
      const plan = this.#plans.get(key);
      return plan && plan.coarseTo === undefined ? [[key, plan] as const] : [];
    });
  }
}
