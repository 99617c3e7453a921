import { setImmediate as breathe } from 'node:timers/promises';
import type { Outcome } from '@pannet/core/outcome';
import { applying, type Applied, type Command } from '@pannet/core/song/commands';
import type { Song } from '@pannet/core/song/song';
import { Problem } from '../problems/problem.ts';

/** So long the server computes before it looks after the others who ask. */
const stretchMs = 10;
const turnsBetween = 8;
/** So long it computes for one request altogether; who has more sends less at once. */
const mostMs = 5000;

/** What one request may cost: applying goes on between the answers to others, and ends somewhere. */
export class Work {
  #spentMs = 0;
  #since = performance.now();

  /** @throws Problem 413 where it is more than one request may cost */
  async apply(song: Song, command: Command): Promise<Outcome<Applied>> {
    const steps = applying(song, command);
    for (;;) {
      const step = steps.next();
      if (step.done) return step.value;
      await this.rest();
    }
  }

  /** Lets others be answered, if it is time to. */
  async rest(): Promise<void> {
    const stretch = performance.now() - this.#since;
    if (stretch < stretchMs) return;
    this.#spentMs += stretch;
    if (this.#spentMs > mostMs)
      throw new Problem(413, {
        code: 'too-much-work',
        sentence: `These commands take the server more than ${mostMs / 1000} s of computing: send fewer of them at once.`,
      });
    // An answer takes several turns: to read what is asked, to ask the database, to hear from it, to write.
    for (let turn = 0; turn < turnsBetween; turn++) await breathe();
    this.#since = performance.now();
  }
}
