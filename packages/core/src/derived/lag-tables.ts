import type { LagTable } from '../voices/lag-table.ts';
import { lagTableFor } from '../voices/splice-planning.ts';
import type { SplicedKind } from '../voices/voice.ts';

/** Some ten hours of takes. */
const mostBytes = 64 * 1_048_576;

/**
 * By which lags takes may be jumped, kept from one tuning to the next: turning the cents of a take that was looked through once costs a
 * fraction. What was used longest ago goes first.
 */
export class LagTables {
  readonly #tables = new Map<string, LagTable>();

  /** The table of a source for a kind of tuner and the direction of its ratio. */
  of(sourceKey: string, kind: SplicedKind, ratio: number, rateHz: number): LagTable {
    const direction = ratio > 1 ? 1 : -1;
    const key = `${sourceKey}/${kind}${direction}@${rateHz}`;
    const table = this.#tables.get(key) ?? lagTableFor(kind, direction, rateHz);
    this.#tables.delete(key);
    this.#tables.set(key, table);
    let bytes = 0;
    for (const { size } of this.#tables.values()) bytes += size;
    for (const [oldest, { size }] of this.#tables) {
      if (bytes <= mostBytes || oldest === key) break;
      this.#tables.delete(oldest);
      bytes -= size;
    }
    return table;
  }
}
