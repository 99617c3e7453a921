import { setImmediate as breathe } from 'node:timers/promises';
import type { Outcome } from '@pannet/core/outcome';
import { applying, type Applied, type Command } from '@pannet/core/song/commands';
import type { Song } from '@pannet/core/song/song';
import { Problem } from '../problems/problem.ts';
import { computedMs } from './computed.ts';

/** So long the server computes before it looks after the others who ask. */
const stretchMs = 10;
const turnsBetween = 8;
/** So long it computes for one request altogether; who has more sends less at once. */
const mostMs = 5000;

/** What one request may cost: applying goes on between the answers to others, and ends somewhere. */
export class Work {
  readonly #mostMs: number;
  #spentMs = 0;
  #stretchMs = 0;

  constructor(most = mostMs) {
    this.#mostMs = most;
  }

  /** @throws Problem 413 where it is more than one request may cost */
  async apply(song: Song, command: Command): Promise<Outcome<Applied>> {
    const steps = applying(song, command);
    for (;;) {
      const step = this.#timed(() => steps.next());
      if (this.#stretchMs >= stretchMs) await this.#rest();
      if (step.done) return step.value;
    }
  }

  /**
   * Only what is computed counts, not what is waited for: the database, another's lock on the song, others who are
   * answered between, a processor that does something else.
   */
  #timed<T>(step: () => T): T {
    const since = performance.now();
    const before = computedMs();
    const result = step();
    this.#spentMs += computedMs() - before;
    this.#stretchMs += performance.now() - since;
    return result;
  }

  /** Lets others be answered. */
  async #rest(): Promise<void> {
    if (this.#spentMs > this.#mostMs)
      throw new Problem(413, {
        code: 'too-much-work',
        sentence: `These commands take the server more than ${this.#mostMs / 1000} s of computing: send fewer of them at once.`,
      });
    // An answer takes several turns: to read what is asked, to ask the database, to hear from it, to write.
    for (let turn = 0; turn < turnsBetween; turn++) await breathe();
    this.#stretchMs = 0;
  }
}
