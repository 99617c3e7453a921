import { powerToDb } from '../quantities/units.ts';

/** A stretch in which one side stops while the other goes on. */
export interface DropOut {
  readonly side: 'left' | 'right';
  readonly fromSeconds: number;
  readonly toSeconds: number;
}

/** Levels are looked at every 100 ms. */
const dropOutBlockSeconds = 0.1;
/** A side that lies so far under the other one is gone: common practice. */
const goneDb = 40;
/** The other one still sounds: so near to the middle of its own levels. */
const soundingDb = 20;
/** As a rule both sides are nearer to each other than this, or the one is soft anyway. */
const besideDb = 20;
const mostListed = 20;

/**
 * Stretches of 100 ms and more in which one side is gone while the other sounds as it does elsewhere.
 * @param left mean squares of blocks of 100 ms, without what is constant in each
 * @param right of the same blocks
 */
export function dropOuts(left: readonly number[], right: readonly number[]): DropOut[] {
  const found: DropOut[] = [];
  for (const [side, own, other] of [
    ['left', left, right],
    ['right', right, left],
  ] as const) {
    const heard = other.filter((power) => power > 0).toSorted((a, b) => a - b);
    const usual = heard[heard.length >> 1] ?? 0;
    const apart = own
      .flatMap((power, n) =>
        other[n] > usual / 100 && power > 0 ? [powerToDb(other[n] / power)] : [],
      )
      .toSorted((a, b) => a - b);
    // A side that is soft all along does not drop out.
    if (apart.length === 0 || apart[apart.length >> 1] > besideDb) continue;
    const isGone = (n: number) =>
      other[n] > usual * 10 ** (-soundingDb / 10) && own[n] < other[n] * 10 ** (-goneDb / 10);
    for (let n = 0; n < own.length; n++) {
      if (!isGone(n)) continue;
      let end = n + 1;
      while (end < own.length && isGone(end)) end++;
      // Blocks at both ends are gone in part only.
      const fromSeconds = n * dropOutBlockSeconds;
      found.push({ side, fromSeconds, toSeconds: end * dropOutBlockSeconds });
      n = end;
    }
  }
  return found.toSorted((a, b) => a.fromSeconds - b.fromSeconds).slice(0, mostListed);
}
