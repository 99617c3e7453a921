import type { SplicePlan } from '@pannet/core/voices/splices';

/** Splices by their keys, to be handed to another thread. */
export type KnownSplices = readonly (readonly [string, SplicePlan])[];

/** Of the plans that nothing reads any more: what a drag has left behind, and may come back to. */
const mostSpareBytes = 48e6;

const bytesOf = ({ starts }: SplicePlan) => 24 * starts.length;

/** Splice plans. What is in use stays; of the others those asked for last are kept within a bound. */
export class SpliceCache {
  readonly #plans = new Map<string, SplicePlan>();
  readonly #mostSpare: number;

  constructor(mostSpare = mostSpareBytes) {
    this.#mostSpare = mostSpare;
  }

  get(key: string): SplicePlan | undefined {
    const plan = this.#plans.get(key);
    if (plan) this.set(key, plan);
    return plan;
  }

  set(key: string, plan: SplicePlan): void {
    this.#plans.delete(key);
    this.#plans.set(key, plan);
  }

  /** Forgets what is over the bound and not in use; gives back its keys. */
  trim(inUse: ReadonlySet<string>): string[] {
    let spare = 0;
    const forgotten: string[] = [];
    for (const [key, plan] of [...this.#plans].reverse()) {
      if (inUse.has(key)) continue;
      spare += bytesOf(plan);
      if (spare <= this.#mostSpare) continue;
      this.#plans.delete(key);
      forgotten.push(key);
    }
    return forgotten;
  }

  /** Those of whole takes under these keys. */
  whole(keys: readonly string[]): KnownSplices {
    return keys.flatMap((key) => {
      const plan = this.#plans.get(key);
      return plan && plan.coarseTo === undefined ? [[key, plan] as const] : [];
    });
  }
}
