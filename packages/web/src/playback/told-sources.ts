import { planSources, roots, type PlanGraph } from '@pannet/core/rendering/plan';
import type { Recording, Song } from '@pannet/core/song/song';
import type { ToFeeder } from './messages.ts';

/** Knows what the feeder was told that a song reads, and tells it what has changed. */
export class ToldSources {
  readonly #keys = new Set<string>();
  readonly #recordings = new Set<string>();
  #rateHz = 0;

  /** null where there is nothing to tell. */
  change(plan: PlanGraph, recordings: Song['recordings']): ToFeeder | null {
    const sources = planSources(plan, roots.heard);
    const now = new Set(sources.map(({ key }) => key));
    const added = sources.filter(({ key }) => !this.#keys.has(key));
    const dropped = [...this.#keys].filter((key) => !now.has(key));
    const fresh: Recording[] = [];
    for (const recording of Object.values(recordings))
      if (!this.#recordings.has(recording.hash)) fresh.push(recording);
    const same = added.length + dropped.length + fresh.length === 0;
    if (same && this.#rateHz === plan.rateHz) return null;
    for (const key of dropped) this.#keys.delete(key);
    for (const { key } of added) this.#keys.add(key);
    for (const { hash } of fresh) this.#recordings.add(hash);
    this.#rateHz = plan.rateHz;
    return { kind: 'sources', rateHz: plan.rateHz, recordings: fresh, added, dropped };
  }
}
